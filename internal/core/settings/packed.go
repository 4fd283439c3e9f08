package settings

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"slices"

	"restlesscrate/internal/core/merge"
	"restlesscrate/internal/core/text"
)

// longestMember is the size in bytes of the longest text inside a packed file that is changed.
const longestMember = 8 << 20

// Packed tells whether bytes are a zip.
func Packed(raw []byte) bool {
	if !bytes.HasPrefix(raw, []byte("PK")) {
		return false
	}
	_, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	return err == nil
}

// Member gives a file inside a packed one. The error wraps [text.ErrNotThere] where it is not
// there.
func Member(raw []byte, name string) ([]byte, error) {
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	if err != nil {
		return nil, fmt.Errorf("it is no zip that can be read: %w", err)
	}
	for _, f := range z.File {
		if f.Name == name {
			return member(f)
		}
	}
	return nil, fmt.Errorf("it holds no %s: %w", name, text.ErrNotThere)
}

// Members lists the files inside a packed one; none where it cannot be read.
func Members(raw []byte) (out []string) {
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	if err != nil {
		return nil
	}
	for _, f := range z.File {
		if !f.FileInfo().IsDir() && f.UncompressedSize64 <= longestMember {
			out = append(out, f.Name)
		}
	}
	return out
}

func member(f *zip.File) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	out, err := io.ReadAll(io.LimitReader(r, longestMember+1))
	if err == nil && len(out) > longestMember {
		err = fmt.Errorf("%s is longer than %d MiB", f.Name, longestMember>>20)
	}
	return out, err
}

// repacked gives a packed file with other bytes for some of its files. All others are copied
// as they are packed; order, names and times stay. What comes out is opened and compared.
func repacked(raw []byte, changed map[string][]byte) ([]byte, error) {
	z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	if err != nil {
		return nil, fmt.Errorf("it is no zip that can be read: %w", err)
	}
	var out bytes.Buffer
	w := zip.NewWriter(&out)
	if err := w.SetComment(z.Comment); err != nil {
		return nil, err
	}
	for _, f := range z.File {
		now, other := changed[f.Name]
		if !other {
			if err := w.Copy(f); err != nil {
				return nil, err
			}
			continue
		}
		head := f.FileHeader // with its time as it is written there, not as it would be written anew
		head.Modified, head.Extra = zip.FileHeader{}.Modified, withoutSizes(f.Extra)
		to, err := w.CreateHeader(&head)
		if err == nil {
			_, err = to.Write(now)
		}
		if err != nil {
			return nil, err
		}
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return out.Bytes(), samePacked(z, out.Bytes(), changed)
}

// withoutSizes gives the extra fields of a zip entry but the one of sizes beyond 4 GiB, tag 1 of
// APPNOTE 4.5.3: these are written as the new bytes need them.
func withoutSizes(extra []byte) (out []byte) {
	for len(extra) >= 4 {
		size := 4 + int(binary.LittleEndian.Uint16(extra[2:]))
		if size > len(extra) {
			break
		}
		if binary.LittleEndian.Uint16(extra) != 1 {
			out = append(out, extra[:size]...)
		}
		extra = extra[size:]
	}
	return out
}

// samePacked opens what was packed and looks that nothing but the changes differs.
func samePacked(was *zip.Reader, raw []byte, changed map[string][]byte) error {
	now, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
	if err != nil || len(now.File) != len(was.File) {
		return fmt.Errorf("the packed file would not be readable; nothing was changed: %w", err)
	}
	for i, f := range now.File {
		want, other := changed[f.Name]
		switch {
		case f.Name != was.File[i].Name, !other && f.CRC32 != was.File[i].CRC32:
			return fmt.Errorf("packing it would change %s as well; nothing was changed", was.File[i].Name)
		case other:
			if got, err := member(f); err != nil || !bytes.Equal(got, want) {
				return fmt.Errorf("%s would not come out as meant; nothing was changed", f.Name)
			}
		}
	}
	return nil
}

// inside does a change to a file inside a packed one.
func inside(raw []byte, op Op) (after []byte, undo Op, err error) {
	was, err := Member(raw, op.Inside)
	if err != nil {
		return nil, Op{}, err
	}
	inner := op
	inner.Inside = ""
	now, undo, err := whole(was, inner)
	if err != nil {
		return nil, Op{}, fmt.Errorf("%s: %w", op.Inside, err)
	}
	if bytes.Equal(was, now) {
		return raw, Op{}, nil
	}
	undo.Inside = op.Inside
	after, err = repacked(raw, map[string][]byte{op.Inside: now})
	return after, undo, err
}

// Differing names the files that two packed ones do not have alike, of those that the second
// holds.
func Differing(a, b []byte) (names []string) {
	was, now, _, err := membersOf(a, b, b)
	if err != nil {
		return nil
	}
	for name, raw := range now {
		if !bytes.Equal(raw, was[name]) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// mergePacked brings the new version of a packed file together with what the server's holds:
// of each file that the server changed, a text is merged, and another thing stays.
func (m Merging) mergePacked(raw []byte) (merge.Result, error) {
	was, mine, now, err := membersOf(m.Was, raw, m.Now)
	if err != nil {
		return merge.Result{}, err
	}
	var out merge.Result
	changed := map[string][]byte{}
	for name, theirs := range now {
		ours, have := mine[name]
		before, had := was[name]
		if !have || !had || bytes.Equal(ours, before) || bytes.Equal(ours, theirs) {
			continue
		}
		inner := Merging{Format: text.Guess(name, theirs), Was: before, Now: theirs, Keep: map[string]merge.Side{merge.Everywhere: m.Keep[merge.Everywhere]}}
		for key, side := range m.Keep {
			if len(key) > len(name)+1 && key[:len(name)+1] == name+":" {
				inner.Keep[key[len(name)+1:]] = side
			}
		}
		if inner.Keep[merge.Everywhere] == "" {
			delete(inner.Keep, merge.Everywhere)
		}
		r, err := inner.Merge(ours)
		if err != nil { // no text: the server's stays
			changed[name] = ours
			continue
		}
		for _, c := range r.Conflicts {
			c.Key = name + ":" + c.Key
			out.Conflicts = append(out.Conflicts, c)
		}
		out.ByMeaning = out.ByMeaning || r.ByMeaning
		changed[name] = r.Text
	}
	out.Text = m.Now
	if len(changed) > 0 {
		out.Text, err = repacked(m.Now, changed)
	}
	return out, err
}

func membersOf(packed ...[]byte) (was, mine, now map[string][]byte, err error) {
	var all []map[string][]byte
	for _, raw := range packed {
		z, err := zip.NewReader(bytes.NewReader(raw), int64(len(raw)))
		if err != nil {
			return nil, nil, nil, fmt.Errorf("it is no zip that can be read: %w", err)
		}
		files := map[string][]byte{}
		for _, f := range z.File {
			if f.FileInfo().IsDir() {
				continue
			}
			if files[f.Name], err = member(f); err != nil {
				return nil, nil, nil, err
			}
		}
		all = append(all, files)
	}
	return all[0], all[1], all[2], nil
}
