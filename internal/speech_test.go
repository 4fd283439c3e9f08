package internal

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// commandLine is what only the command line may write: an option, its program's name
// before a word, or one of its commands of two words.
var commandLine = regexp.MustCompile(`(^|[^-])--[a-z]{2,}|\brestless [a-z]+|\b(server (control|test|edit|trust|show)|crate (set|place|compare|list)|deployment (run|resume|undo|halt|tick|show|list)|rulebook (add|list|show))\b`)

// Core, engine and services say what would help as data; each face writes its own
// command or button. A message that spells a command out would be shown by the console
// too.
func TestNoMessageSpellsACommandOut(t *testing.T) {
	looked := 0
	for _, root := range []string{"core", "deploy", "service", "control", "remote", "archive", "stockroom", "records", "model", "jobs", "httpapi", "fault", "disk"} {
		require.NoError(t, filepath.WalkDir(root, func(path string, _ fs.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
			if err != nil {
				return err
			}
			ast.Inspect(file, func(n ast.Node) bool {
				if field, is := n.(*ast.Field); is && field.Tag != nil {
					return false
				}
				lit, is := n.(*ast.BasicLit)
				if !is || lit.Kind != token.STRING {
					return true
				}
				text, err := strconv.Unquote(lit.Value)
				require.NoError(t, err)
				looked++
				if said := commandLine.FindString(text); said != "" {
					t.Errorf("%s: %q says %q: give a finding.Remedy instead", path, text, said)
				}
				return true
			})
			return nil
		}))
	}
	require.Greater(t, looked, 2000)
}
