package text_test

import (
	"testing"

	"restlesscrate/internal/core/text"
)

// FuzzSet reads anything in every format. What can be read keeps every other byte when a
// value of it is set, and never breaks.
func FuzzSet(f *testing.F) {
	for name, raw := range corpus(f) {
		for i, format := range text.Formats() {
			if format == text.Guess(name, raw) {
				f.Add(raw, uint8(i), uint16(3), "re-set") //nolint:gosec // ten formats
			}
		}
	}
	f.Fuzz(func(t *testing.T, raw []byte, format uint8, which uint16, value string) {
		fm := text.Formats()[int(format)%len(text.Formats())]
		d, err := text.Parse(raw, fm)
		if err != nil {
			return
		}
		all := leaves(d)
		for _, n := range all {
			if n.At.From < 0 || n.At.To > len(raw) || n.At.From > n.At.To {
				t.Fatalf("%s: %q reaches outside: %v", fm, n.Key, n.At)
			}
		}
		if len(all) == 0 {
			return
		}
		n := all[int(which)%len(all)]
		_ = d.Comment(n)
		if out, err := d.Set(n, text.Value{Text: value}); err == nil {
			if string(out[:n.At.From]) != string(raw[:n.At.From]) {
				t.Fatalf("%s: bytes in front of %s changed", fm, d.Path(n))
			}
			tail := string(raw[n.At.To:])
			if string(out[len(out)-len(tail):]) != tail {
				t.Fatalf("%s: bytes behind %s changed", fm, d.Path(n))
			}
		}
		if _, err := d.Remove(n); err != nil && n.Up == nil {
			t.Fatal(err)
		}
		_, _ = d.Add(d.Path(n.Up)+"/fresh", text.Value{Text: value}, text.Spot{})
		_, _ = d.Add(d.Path(n.Up)+"/-", text.Value{Text: value}, text.Spot{})
	})
}
