package catalog

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"restlesscrate/internal/helper"
)

func TestAHelperThatIsMissingOrFailsIsToldAndOneThatWorksIsNot(t *testing.T) {
	for script, want := range map[string][]string{
		"":                                     {"helper-missing"},
		"#!/bin/sh\necho broken >&2; exit 1\n": {"helper-failed"},
		"#!/bin/sh\necho a > \"$3/a.lf\"\n":    nil,
	} {
		d := open(t)
		d.book(strings.Replace(fair, "kinds:", "helpers: {pak: {files: \"*.pak\", program: unpak}}\nkinds:", 1))
		d.Helpers = helper.Folder{Dir: t.TempDir()}
		if script != "" {
			require.NoError(t, os.WriteFile(filepath.Join(d.Helpers.Dir, "unpak"), []byte(script), 0o700)) //nolint:gosec // it is a program
		}
		c := d.only(d.stage("tent-1.zip", Say{}, map[string]string{"tent/stall.lf": "version = 1\n", "tent/rope.pak": "packed"}))
		var got []string
		for _, code := range codes(c) {
			if strings.HasPrefix(code, "helper-") {
				got = append(got, code)
			}
		}
		require.Equal(t, want, got, script)
	}
}
