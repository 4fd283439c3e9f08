package rulebook

import (
	"regexp"
	"strings"
)

// Captures gives what the wildcards of a glob stand for in a path that it matches, in their
// order: each *, ** and ?. They are nil where it does not match.
func Captures(glob, path string) []string {
	re, err := regexp.Compile("^" + globExpression(glob) + "$")
	if err != nil {
		return nil
	}
	m := re.FindStringSubmatch(path)
	if m == nil {
		return nil
	}
	for i := range m {
		m[i] = strings.TrimSuffix(m[i], "/")
	}
	return m[1:]
}

// globExpression turns a doublestar glob into an expression with a group for each wildcard.
func globExpression(glob string) string {
	var out strings.Builder
	braces := 0
	for i := 0; i < len(glob); i++ {
		switch c := glob[i]; {
		case c == '*':
			stars := len(glob[i:]) - len(strings.TrimLeft(glob[i:], "*"))
			rest := glob[i+stars:]
			alone := stars == 2 && (i == 0 || glob[i-1] == '/') // as the glob library has it
			switch {
			case alone && strings.HasPrefix(rest, "/"):
				out.WriteString(`((?:[^/]+/)*)`)
				i++ // the slash is part of it
			case alone && rest == "":
				out.WriteString(`(.*)`)
			default:
				out.WriteString(`([^/]*)`)
			}
			i += stars - 1
		case c == '?':
			out.WriteString(`([^/])`)
		case c == '{':
			braces++
			out.WriteString(`(?:`)
		case c == '}' && braces > 0:
			braces--
			out.WriteString(`)`)
		case c == ',' && braces > 0:
			out.WriteString(`|`)
		case c == '[':
			end := strings.IndexByte(glob[i:], ']')
			if end < 0 {
				out.WriteString(`\[`)
				continue
			}
			class := glob[i+1 : i+end]
			if strings.HasPrefix(class, "!") {
				class = "^" + class[1:]
			}
			out.WriteString(`[` + class + `]`)
			i += end
		case c == '\\' && i+1 < len(glob):
			i++
			out.WriteString(regexp.QuoteMeta(glob[i : i+1]))
		default:
			out.WriteString(regexp.QuoteMeta(string(c)))
		}
	}
	return out.String()
}

// Below is the part of a path that a glob leaves open: what is below the folders that it
// names before its first wildcard.
func Below(glob, path string) string {
	at := strings.IndexAny(glob, `*?{[\`)
	if at < 0 {
		at = len(glob)
	}
	folder := glob[:strings.LastIndexByte(glob[:at], '/')+1]
	return strings.TrimPrefix(path, folder)
}
