package text_test

import (
	"testing"

	"restlesscrate/internal/core/text"
)

// Each format has a fuzz target of its own, so that each gets its time.
func FuzzYAML(f *testing.F)       { fuzz(f, text.YAML) }
func FuzzJSON(f *testing.F)       { fuzz(f, text.JSON) }
func FuzzTolerant(f *testing.F)   { fuzz(f, text.Tolerant) }
func FuzzTOML(f *testing.F)       { fuzz(f, text.TOML) }
func FuzzINI(f *testing.F)        { fuzz(f, text.INI) }
func FuzzProperties(f *testing.F) { fuzz(f, text.Properties) }
func FuzzXML(f *testing.F)        { fuzz(f, text.XML) }
func FuzzCommands(f *testing.F)   { fuzz(f, text.Commands) }
func FuzzScript(f *testing.F)     { fuzz(f, text.Script) }
func FuzzLines(f *testing.F)      { fuzz(f, text.Lines) }

// fuzz reads anything in a format. What can be read keeps every other byte when a value of it
// is set, and never breaks.
func fuzz(f *testing.F, format text.Format) {
	for name, raw := range corpus(f) {
		if format == text.Guess(name, raw) {
			f.Add(raw, uint16(3), "re-set")
		}
	}
	f.Fuzz(func(t *testing.T, raw []byte, which uint16, value string) {
		d, err := text.Parse(raw, format)
		if err != nil {
			return
		}
		all := leaves(d)
		for _, n := range all {
			if n.At.From < 0 || n.At.To > len(raw) || n.At.From > n.At.To {
				t.Fatalf("%q reaches outside: %v", n.Key, n.At)
			}
		}
		if len(all) == 0 {
			return
		}
		n := all[int(which)%len(all)]
		_ = d.Comment(n)
		if out, err := d.Set(n, text.Value{Text: value}); err == nil {
			if string(out[:n.At.From]) != string(raw[:n.At.From]) {
				t.Fatalf("bytes in front of %s changed", d.Path(n))
			}
			tail := string(raw[n.At.To:])
			if string(out[len(out)-len(tail):]) != tail {
				t.Fatalf("bytes behind %s changed", d.Path(n))
			}
		}
		if _, err := d.Remove(n); err != nil && n.Up == nil {
			t.Fatal(err)
		}
		_, _ = d.Add(d.Path(n.Up)+"/fresh", text.Value{Text: value}, text.Spot{})
		_, _ = d.Add(d.Path(n.Up)+"/-", text.Value{Text: value}, text.Spot{})
	})
}
