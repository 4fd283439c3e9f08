package tweak

// begin makes a text where there is none, and end takes it away where it still is the one that
// was made. Neither reads it: it need not be in any format.
func begin(source []byte, t Tweak) (after []byte, undo Tweak) {
	if len(source) > 0 {
		return source, Tweak{}
	}
	return []byte(t.Text), Tweak{Do: End, Format: t.Format, Text: t.Text}
}

func end(source []byte, t Tweak) (after []byte, undo Tweak) {
	if len(source) == 0 || string(source) != t.Text {
		return source, Tweak{}
	}
	return nil, Tweak{Do: Begin, Format: t.Format, Text: t.Text}
}
