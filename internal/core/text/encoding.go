package text

import (
	"bytes"
	"fmt"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

// Encoding is how a text is written in bytes.
type Encoding string

// The encodings that can be told by the bytes themselves.
const (
	UTF8        Encoding = "utf-8"
	UTF16Little Encoding = "utf-16-le" // with a byte-order mark
	UTF16Big    Encoding = "utf-16-be" // with a byte-order mark
	Western     Encoding = "windows-1252"
)

// OtherEncodings are those that bytes alone do not tell: a person or a rulebook names them.
func OtherEncodings() []Encoding {
	return []Encoding{"windows-1250", "windows-1251", "iso-8859-1", "iso-8859-2", "iso-8859-15"}
}

func (e Encoding) codec() encoding.Encoding {
	switch e {
	case UTF16Little:
		return unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM)
	case UTF16Big:
		return unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM)
	case Western:
		return charmap.Windows1252
	case "windows-1250":
		return charmap.Windows1250
	case "windows-1251":
		return charmap.Windows1251
	case "iso-8859-1":
		return charmap.ISO8859_1
	case "iso-8859-2":
		return charmap.ISO8859_2
	case "iso-8859-15":
		return charmap.ISO8859_15
	}
	return nil
}

// EncodingOf tells how a text is written. ok is false for what is no text: it holds a zero
// byte, or more than a few control characters.
func EncodingOf(raw []byte) (e Encoding, ok bool) {
	switch {
	case bytes.HasPrefix(raw, []byte{0xff, 0xfe}) && len(raw)%2 == 0:
		return UTF16Little, true
	case bytes.HasPrefix(raw, []byte{0xfe, 0xff}) && len(raw)%2 == 0:
		return UTF16Big, true
	}
	controls := 0
	for _, c := range raw {
		switch {
		case c == 0:
			return "", false
		case c < ' ' && c != '\t' && c != '\n' && c != '\r' && c != '\f' && c != 0x1b && c != 0x1a:
			controls++
		}
	}
	if controls > 0 && controls*50 > len(raw) {
		return "", false
	}
	if utf8.Valid(raw) {
		return UTF8, true
	}
	return Western, true
}

// Decode turns bytes into UTF-8; a byte-order mark stays, as [Mark]. It fails where the
// bytes would not come back from it exactly.
func (e Encoding) Decode(raw []byte) ([]byte, error) {
	codec := e.codec()
	if codec == nil {
		if !utf8.Valid(raw) {
			return nil, fmt.Errorf("it is no valid %s", e)
		}
		return raw, nil
	}
	out, err := codec.NewDecoder().Bytes(raw)
	if err != nil {
		return nil, fmt.Errorf("it is no valid %s: %w", e, err)
	}
	if back, err := codec.NewEncoder().Bytes(out); err != nil || !bytes.Equal(back, raw) {
		return nil, fmt.Errorf("it holds bytes that %s does not have", e)
	}
	return out, nil
}

// Encode turns UTF-8 back into bytes. It fails for a character that the encoding does not have.
func (e Encoding) Encode(text []byte) ([]byte, error) {
	codec := e.codec()
	if codec == nil {
		return text, nil
	}
	out, err := codec.NewEncoder().Bytes(text)
	if err != nil {
		return nil, fmt.Errorf("the text is written in %s, which has no sign for a character of the new value: %w", e, err)
	}
	return out, nil
}

// Plain gives a text as it reads, in UTF-8; ok is false where the bytes are no text.
func Plain(raw []byte) (plain []byte, ok bool) {
	enc, is := EncodingOf(raw)
	if !is {
		return nil, false
	}
	plain, err := enc.Decode(raw)
	return plain, err == nil
}
