// Command packagemap draws the program's packages from their imports: a drawing, and a
// line for each. `make map` writes it to docs/packages.md; a test keeps that current.
package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log"
	"os/exec"
	"slices"
	"strings"
)

func main() {
	page, err := draw()
	if err == nil {
		_, err = fmt.Print(page)
	}
	if err != nil {
		log.Fatal(err)
	}
}

// module is what our own import paths begin with.
const module = "restlesscrate/"

// listed is what `go list` tells of a package.
type listed struct {
	ImportPath, Doc string
	Imports         []string
}

// draw gives the page.
func draw() (string, error) {
	packages, err := list()
	if err != nil {
		return "", err
	}
	imports := map[string][]string{}
	for _, p := range packages {
		for _, i := range p.Imports {
			if ours, ok := strings.CutPrefix(i, module); ok {
				imports[name(p)] = append(imports[name(p)], strings.TrimPrefix(ours, "internal/"))
			}
		}
	}
	var b strings.Builder
	b.WriteString("# Packages\n\nMade from the imports by `make map`. An arrow leads from a package to one that it imports;\nthose that follow from others are left out.\n\n```mermaid\ngraph TD\n")
	for _, p := range packages {
		for _, to := range direct(name(p), imports) {
			fmt.Fprintf(&b, "  %s[%s] --> %s[%s]\n", node(name(p)), name(p), node(to), to)
		}
	}
	b.WriteString("```\n\n| package | what it is |\n|---|---|\n")
	for _, p := range packages {
		doc := strings.TrimPrefix(strings.TrimPrefix(p.Doc, "Package "+base(name(p))+" "), "Command "+base(name(p))+" ")
		fmt.Fprintf(&b, "| `%s` | %s |\n", name(p), strings.ReplaceAll(doc, "|", "\\|"))
	}
	return b.String(), nil
}

// list asks the go command for our packages, without those that only tests use.
func list() (out []listed, err error) {
	raw, err := exec.Command("go", "list", "-json=ImportPath,Doc,Imports", module+"...").Output()
	var failed *exec.ExitError
	if errors.As(err, &failed) {
		return nil, fmt.Errorf("go list: %w: %s", err, failed.Stderr)
	}
	if err != nil {
		return nil, fmt.Errorf("go list: %w", err)
	}
	for d := json.NewDecoder(strings.NewReader(string(raw))); ; {
		var p listed
		switch err := d.Decode(&p); {
		case errors.Is(err, io.EOF):
			slices.SortFunc(out, func(a, b listed) int { return strings.Compare(a.ImportPath, b.ImportPath) })
			return out, nil
		case err != nil:
			return nil, fmt.Errorf("read what go list tells: %w", err)
		}
		if !strings.Contains(p.ImportPath, "testbed") && !strings.HasSuffix(p.ImportPath, "test") && p.Doc != "" {
			out = append(out, p)
		}
	}
}

func name(p listed) string {
	return strings.TrimPrefix(strings.TrimPrefix(p.ImportPath, module), "internal/")
}

func base(name string) string { return name[strings.LastIndex(name, "/")+1:] }

// node is a name as the drawing can take it.
func node(name string) string { return strings.NewReplacer("/", "_", "-", "_").Replace(name) }

// direct gives the imports of a package that no other of its imports brings along.
func direct(of string, imports map[string][]string) (out []string) {
	for _, to := range imports[of] {
		along := slices.ContainsFunc(imports[of], func(other string) bool { return other != to && reaches(other, to, imports) })
		if !along && !strings.Contains(to, "testbed") {
			out = append(out, to)
		}
	}
	slices.Sort(out)
	return out
}

func reaches(from, to string, imports map[string][]string) bool {
	return slices.ContainsFunc(imports[from], func(next string) bool { return next == to || reaches(next, to, imports) })
}
