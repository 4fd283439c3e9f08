package archive

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/ianaindex"

	"restlesscrate/internal/core/tree"
)

// names reads the names of entries: as UTF-8 where they are, else in the
// code page that the person chose. Guessing one from short names fails, so
// nothing is guessed.
type names struct {
	page    encoding.Encoding
	called  string
	decoded []string // names that were not UTF-8, as they are read
}

// zipPage is the code page of zip names that are not marked as UTF-8
// (APPNOTE, appendix D).
const zipPage = "IBM437"

func namesIn(page string) (*names, error) {
	if page == "" {
		page = zipPage
	}
	e, err := ianaindex.IANA.Encoding(page)
	if err != nil || e == nil {
		return nil, &Error{Code: "unknown-code-page", What: fmt.Sprintf("there is no code page %q; IBM437, IBM850, windows-1252, Shift_JIS, GBK, windows-1251 and others are known", page)}
	}
	return &names{page: e, called: page}, nil
}

func (n *names) read(raw string) (string, error) {
	if utf8.ValidString(raw) {
		return raw, nil
	}
	text, err := n.page.NewDecoder().String(raw)
	if err != nil || strings.ContainsRune(text, utf8.RuneError) {
		return "", &Error{Code: "unsafe-entry", Entry: raw, What: fmt.Sprintf("has a name that is neither UTF-8 nor %s; say which code page it is in", n.called)}
	}
	n.decoded = append(n.decoded, text)
	return text, nil
}

// path checks an entry's name. Some packers write backslashes for slashes.
func (n *names) path(raw string, dir bool) (tree.Path, error) {
	name, err := n.read(raw)
	if err != nil {
		return tree.Root, err
	}
	text := name
	if !strings.Contains(text, "/") {
		text = strings.ReplaceAll(text, `\`, "/")
	}
	text = strings.ReplaceAll(strings.TrimPrefix(text, "./"), "/./", "/")
	if dir {
		text = strings.TrimSuffix(strings.TrimSuffix(text, "/"), "/.")
	}
	if len(text) > 1 && text[1] == ':' {
		return tree.Root, &Error{Code: "unsafe-entry", Entry: name, What: "names a drive"}
	}
	p, err := tree.ParsePath(text)
	if err != nil {
		pe := err.(*tree.PathError)
		return tree.Root, &Error{Code: "unsafe-entry", Entry: name, What: pe.Why}
	}
	for _, part := range p.Parts() {
		if strings.HasSuffix(part, "!") {
			return tree.Root, &Error{Code: "unsafe-entry", Entry: name, What: `has a part that ends with "!", which marks what is inside an inner archive`}
		}
	}
	return p, nil
}
