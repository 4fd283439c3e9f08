package draft

import (
	"encoding/hex"
	"encoding/json"
	"fmt"
	"strconv"

	"restlesscrate/internal/core/tree"
)

// A draft of 100,000 files is 600,000 entries, and its digest is of their JSON. The
// functions below write that as encoding/json does, to the byte, for what is common, and
// leave the rest to it.

// AppendJSON appends the change as JSON.
func (c *Change) AppendJSON(b []byte) []byte {
	if len(c.ListedBefore)+len(c.ListedAfter)+len(c.Edits)+len(c.TweaksBefore)+len(c.TweaksAfter) > 0 || c.Moved != "" {
		return appendAny(b, c)
	}
	b = appendText(append(b, `{"path":`...), string(c.Path))
	b = appendState(append(b, `,"before":`...), &c.Before)
	b = appendState(append(b, `,"after":`...), &c.After)
	b = appendClaims(b, `,"claimsBefore":[`, c.ClaimsBefore)
	b = appendClaims(b, `,"claimsAfter":[`, c.ClaimsAfter)
	return append(b, '}')
}

// AppendJSON appends the step as JSON.
func (s *Step) AppendJSON(b []byte) []byte {
	b = strconv.AppendInt(append(b, `{"id":`...), int64(s.ID), 10)
	if s.Leg != 0 {
		b = strconv.AppendInt(append(b, `,"leg":`...), int64(s.Leg), 10)
	}
	b = appendText(append(b, `,"phase":`...), s.Phase.String())
	b = appendText(append(b, `,"verb":`...), string(s.Verb))
	b = appendMaybe(b, `,"path":`, string(s.Path))
	b = appendMaybe(b, `,"what":`, s.What)
	b = appendText(append(b, `,"reason":`...), s.Reason)
	if s.Bytes != 0 {
		b = strconv.AppendInt(append(b, `,"bytes":`...), s.Bytes, 10)
	}
	b = appendMaybe(b, `,"diff":`, s.Diff)
	for i, id := range s.Motions {
		if i == 0 {
			b = append(b, `,"motions":[`...)
		} else {
			b = append(b, ',')
		}
		b = strconv.AppendInt(b, int64(id), 10)
	}
	if len(s.Motions) > 0 {
		b = append(b, ']')
	}
	return append(b, '}')
}

// AppendJSON appends the motion as JSON.
func (m *Motion) AppendJSON(b []byte) []byte {
	if m.OnHost || m.Do != "" || m.Subject != "" || len(m.With) > 0 || m.Back != "" || m.Ran {
		return appendAny(b, m)
	}
	b = strconv.AppendInt(append(b, `{"id":`...), int64(m.ID), 10)
	b = strconv.AppendInt(append(b, `,"leg":`...), int64(m.Leg), 10)
	b = appendText(append(b, `,"kind":`...), m.Kind.String())
	b = appendText(append(b, `,"phase":`...), m.Phase.String())
	b = strconv.AppendInt(append(b, `,"group":`...), int64(m.Group), 10)
	b = strconv.AppendInt(append(b, `,"step":`...), int64(m.Step), 10)
	b = appendText(append(b, `,"path":`...), string(m.Path))
	b = appendMaybe(b, `,"temp":`, m.Temp)
	if m.Before != (tree.State{}) {
		b = appendState(append(b, `,"before":`...), &m.Before)
	}
	if m.After != (tree.State{}) {
		b = appendState(append(b, `,"after":`...), &m.After)
	}
	if m.Proved {
		b = append(b, `,"proved":true`...)
	}
	if m.Seen != 0 {
		b = strconv.AppendInt(append(b, `,"seen":`...), m.Seen, 10)
	}
	return append(b, '}')
}

func appendState(b []byte, s *tree.State) []byte {
	b = appendText(append(b, `{"being":`...), s.Being.String())
	if !s.Digest.IsZero() {
		b = appendDigest(append(b, `,"digest":`...), s.Digest)
	}
	if s.Size != 0 {
		b = strconv.AppendInt(append(b, `,"size":`...), s.Size, 10)
	}
	if s.Mode != 0 {
		b = strconv.AppendUint(append(b, `,"mode":`...), uint64(s.Mode), 10)
	}
	return append(b, '}')
}

func appendClaims(b []byte, name string, claims []Claim) []byte {
	if len(claims) == 0 {
		return b
	}
	b = append(b, name...)
	for i := range claims {
		c := &claims[i]
		if i > 0 {
			b = append(b, ',')
		}
		b = appendText(append(b, `{"addon":`...), c.Addon)
		b = appendText(append(b, `,"label":`...), c.Label)
		b = appendDigest(append(b, `,"crate":`...), c.Crate)
		b = appendText(append(b, `,"role":`...), string(c.Role))
		if c.Brings != (Bytes{}) {
			b = append(b, `,"brings":{`...)
			if !c.Brings.Digest.IsZero() {
				b = appendDigest(append(b, `"digest":`...), c.Brings.Digest)
				if c.Brings.Size != 0 {
					b = append(b, ',')
				}
			}
			if c.Brings.Size != 0 {
				b = strconv.AppendInt(append(b, `"size":`...), c.Brings.Size, 10)
			}
			b = append(b, '}')
		}
		b = append(b, '}')
	}
	return append(b, ']')
}

func appendDigest(b []byte, d tree.Digest) []byte {
	b = append(b, '"')
	if !d.IsZero() {
		b = hex.AppendEncode(b, d[:])
	}
	return append(b, '"')
}

func appendMaybe(b []byte, name, text string) []byte {
	if text == "" {
		return b
	}
	return appendText(append(b, name...), text)
}

// appendText appends a string. A string that needs escaping is left to encoding/json.
func appendText(b []byte, text string) []byte {
	for i := range len(text) {
		if c := text[i]; c < ' ' || c > '~' || c == '"' || c == '\\' || c == '<' || c == '>' || c == '&' {
			return appendAny(b, text)
		}
	}
	b = append(b, '"')
	b = append(b, text...)
	return append(b, '"')
}

func appendAny(b []byte, v any) []byte {
	raw, err := json.Marshal(v)
	if err != nil {
		panic(fmt.Sprintf("%T cannot be written as JSON: %v", v, err)) // only basic types are in it
	}
	return append(b, raw...)
}
