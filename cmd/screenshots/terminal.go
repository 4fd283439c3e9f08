package main

import (
	"context"
	"fmt"
	"html"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// commands are run against the demo, and what they print is drawn as a terminal shows it.
var commands = []struct {
	file string
	args []string
}{
	{"terminal-status", []string{"status"}},
	{"terminal-draft", []string{"deployment", "show", "saltpan#4"}},
}

// terminal draws what a command prints.
func (t tour) terminal(ctx context.Context, program, data, file string, args []string) error {
	cmd := exec.CommandContext(ctx, program, args...)
	cmd.Env = append(os.Environ(), "RESTLESS_DATA="+data)
	out, err := cmd.CombinedOutput()
	if err != nil {
		return fmt.Errorf("%s: %w\n%s", strings.Join(args, " "), err, out)
	}
	page := `<meta charset="utf-8"><body style="margin:0;background:#16181d;color:#d8dbe2"><pre style="margin:24px;font:14px/1.45 monospace;white-space:pre-wrap">` +
		html.EscapeString("$ restless "+strings.Join(args, " ")+"\n"+string(out)) + `</pre>`
	// A line is 20 pixels high; a picture ends with the last one, or where a screen does.
	if err := t.Size(1280, min(800, 90+20*strings.Count(string(out), "\n"))); err != nil {
		return err
	}
	if err := t.Go("data:text/html;charset=utf-8," + url.PathEscape(page)); err != nil {
		return err
	}
	return t.PNG(filepath.Join(t.folder, file+".png"))
}
