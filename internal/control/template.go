package control

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"strings"
	"unicode"

	"restlesscrate/internal/core/power"
)

// placeholder is a word in braces: {line}, {addon}, {NAME} of a variable,

// filling fills templates for one act. What was filled in is never looked into
// again, and every secret that was used is known, to be masked in what comes back.
type filling struct {
	*Driver
	subject string
	secrets map[string]string // that were used, by name
}

func (d *Driver) filling(subject string) *filling {
	return &filling{Driver: d, subject: subject, secrets: map[string]string{}}
}

// value gives what a placeholder stands for; known is false for words that are none of
// ours and stay as they are.
func (f *filling) value(word string) (v string, known bool, err error) {
	if strings.HasPrefix(word, "$") {
		return "", false, nil
	}
	name := strings.Trim(word, "{}")
	if name == "line" || name == "addon" {
		return f.subject, true, nil
	}
	if secret, ok := strings.CutPrefix(name, "secret:"); ok {
		v, err := f.secret(secret)
		return v, true, err
	}
	v, known = f.Variables[name]
	return v, known, nil
}

func (f *filling) secret(name string) (string, error) {
	v, err := f.Secrets(name)
	if err != nil {
		return "", err
	}
	if v == "" {
		return "", fmt.Errorf("there is no secret %q: it was not given with the control", name)
	}
	f.secrets[name] = v
	return v, nil
}

// fill puts values into a text in one pass, each as write writes it.
func (f *filling) fill(text string, write func(string) string) (string, error) {
	var wrong error
	out := power.Placeholder.ReplaceAllStringFunc(text, func(word string) string {
		v, known, err := f.value(word)
		if wrong = errors.Join(wrong, err); !known {
			return word
		}
		return write(v)
	})
	return out, wrong
}

// Ways in which values are written into a text.
func asIs(s string) string { return s }

// inURL makes a text fit anywhere in an address.
func inURL(s string) string { return url.QueryEscape(s) }

// inJSON makes a text fit between the quotes of a JSON string.
func inJSON(s string) string {
	return strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`, "\r", `\r`, "\t", `\t`).Replace(s)
}

// script is a command whose values come over its standard input: no value is ever
// part of what a shell reads as its program, or of an argument that others on the
// machine can see.
type script struct {
	text string
	in   string // a line for each value
}

// shell writes a command for a POSIX shell. A value stands in a variable of that
// shell, in or outside of quotes; the shell does not read a variable's text as code.
func (f *filling) shell(text string) (script, error) {
	var out, head, in strings.Builder
	const plain, single, double = 0, '\'', '"'
	state, at, n := byte(plain), 0, 0
	for _, m := range power.Placeholder.FindAllStringIndex(text, -1) {
		for ; at < m[0]; at++ {
			switch c := text[at]; {
			case c == '\\' && state != single && at+1 < m[0]:
				out.WriteByte(c)
				at++
			case c == single && state != double, c == double && state != single:
				if state == c {
					state = plain
				} else {
					state = c
				}
			}
			out.WriteByte(text[at])
		}
		at = m[1]
		v, known, err := f.value(text[m[0]:m[1]])
		if err != nil {
			return script{}, err
		}
		if !known {
			out.WriteString(text[m[0]:m[1]])
			continue
		}
		n++
		name := fmt.Sprintf("rc_%d", n)
		// The value comes as one line, as printf's %b writes it; the dot keeps line
		// ends at its end.
		fmt.Fprintf(&head, "IFS= read -r %[1]s; %[1]s=$(printf '%%b.' \"$%[1]s\"); %[1]s=${%[1]s%%.}\n", name)
		in.WriteString(strings.NewReplacer(`\`, `\\`, "\n", `\n`).Replace(v) + "\n")
		switch state {
		case single:
			fmt.Fprintf(&out, `'"${%s}"'`, name)
		case double:
			fmt.Fprintf(&out, `${%s}`, name)
		default:
			fmt.Fprintf(&out, `"${%s}"`, name)
		}
	}
	out.WriteString(text[at:])
	return script{text: head.String() + out.String(), in: in.String()}, nil
}

// mask hides the secrets that were used in what comes back: outputs are kept and
// shown.
func (f *filling) mask(text string) string {
	for name, v := range f.secrets {
		for _, form := range []string{v, inURL(v), inJSON(v)} {
			text = strings.ReplaceAll(text, form, "(secret "+name+")")
		}
	}
	return text
}

// maskedError is an error whose words had a secret in them.
type maskedError struct {
	text string
	err  error
}

func (m *maskedError) Error() string { return m.text }
func (m *maskedError) Unwrap() error { return m.err }

// hide masks an answer and an error.
func (f *filling) hide(ans Answer, err error) (Answer, error) {
	ans.Text = f.mask(ans.Text)
	if err != nil {
		if text := f.mask(err.Error()); text != err.Error() {
			err = &maskedError{text: text, err: err}
		}
	}
	return ans, err
}

// ErrNotOneLine is returned for a line that would be more than one, or that a
// terminal would take for commands.
var ErrNotOneLine = errors.New("it is not one line of plain text")

// oneLine refuses what would reach a console, a request or a shell as more than one
// line of plain text.
func oneLine(text string) error {
	for _, r := range text {
		if r != '\t' && (unicode.IsControl(r) || unicode.Is(unicode.Zl, r) || unicode.Is(unicode.Zp, r) || unicode.Is(unicode.Cf, r)) {
			return fmt.Errorf("%w: it holds U+%04X", ErrNotOneLine, r)
		}
	}
	return nil
}

// run runs a script by this machine's shell or the host's.
func (d *Driver) run(ctx context.Context, by string, s script) (Answer, error) {
	if by == power.ByCommand {
		return runHere(ctx, s)
	}
	if d.Host == nil {
		return Answer{}, errors.New("this server is not reached over SSH, or its host gives no shell")
	}
	command := s.text
	if s.in != "" { // whatever shell the user there has
		command = "exec /bin/sh -c " + quoted(s.text)
	}
	out, code, err := d.Host.Exec(ctx, command, s.in)
	return Answer{Text: out, Code: code}, err
}

// quoted makes a text one word of a shell.
func quoted(s string) string { return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'" }
