package catalog

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"strings"

	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/model"
	"restlesscrate/internal/stockroom"
)

// Recovered is what was found again in a stockroom whose records were lost.
type Recovered struct {
	Archives int      // recorded again, from their bytes
	Contents int      // indexed again
	Lost     int64    // bytes of which nobody can say any more what they are
	Odd      []string // containers of which nothing could be made, in words
}

// Recover records again what the stockroom holds and the records do not know:
// archives by their bytes, and contents by the frames that stand before them. It
// adds only. known tells which containers the records know.
func (s *Service) Recover(ctx context.Context, known map[string]bool, tell func(string)) (r Recovered, err error) {
	all, err := s.Room.Containers()
	if err != nil {
		return r, err
	}
	var archives, others []string
	for _, name := range all {
		switch {
		case known[name]:
		case strings.HasPrefix(name, "archives/"):
			archives = append(archives, name)
		default:
			others = append(others, name)
		}
	}
	done := map[string]bool{}
	for i, name := range archives {
		tell(fmt.Sprintf("reading archive %d of %d", i+1, len(archives)))
		pack, err := s.recovering().recoverArchive(ctx, name)
		if err != nil {
			if ctx.Err() != nil {
				return r, err
			}
			r.Odd = append(r.Odd, fmt.Sprintf("%s: %v", name, err))
			continue
		}
		done[pack] = true
		r.Archives++
	}
	for i, name := range others {
		if done[name] {
			continue // it was written again with its archive
		}
		tell(fmt.Sprintf("reading container %d of %d", i+1, len(others)))
		var held []stockroom.Held
		lost, err := s.Room.Scan(ctx, name, func(h stockroom.Held) { held = append(held, h) })
		if err != nil {
			return r, err
		}
		r.Lost += lost
		r.Contents += len(held)
		if len(held) == 0 {
			r.Odd = append(r.Odd, name+": nothing in it says what it is")
			continue
		}
		if err := s.Records.AddFound(ctx, name, held); err != nil {
			return r, err
		}
	}
	return r, nil
}

// recoverArchive records an archive again from its bytes. It gives the name of the
// pack that was written for it, if one was.
func (s recoverer) recoverArchive(ctx context.Context, container string) (packed string, err error) {
	want, err := tree.ParseDigest(path.Base(container))
	if err != nil {
		return "", err
	}
	f, err := s.Room.Container(container)
	if err != nil {
		return "", err
	}
	defer f.Close()
	digest, size, err := tree.SumAll(f)
	if err != nil {
		return "", err
	}
	if digest != want {
		return "", errors.New("its bytes are damaged")
	}
	known := s.saidOf(digest)
	if known.Filename == "" {
		known.Filename = "recovered-" + digest.Short()
	}
	l, packed, err := s.keeping().lookInto(ctx, f, size, known.Filename, Say{CodePage: known.CodePage, Trusted: known.Trusted}, func() (*stockroom.Segment, error) { return s.Room.Pack(digest) })
	if err != nil {
		return "", err
	}
	a := model.Archive{Digest: digest, Size: size, Filename: known.Filename, Format: string(l.Format), Source: known.Source, Note: known.Note,
		Findings: l.Notes, Container: container, Recovered: true, Actor: "recovery"}
	entries, held := contents(l, a, packed)
	_, err = s.Records.AddArchive(ctx, a, entries, held)
	return packed, err
}

// saidOf reads what is kept of an archive beside its bytes. What cannot be read is
// not known: the bytes count more.
func (s recoverer) saidOf(digest tree.Digest) (known uploadFacts) {
	if raw, err := s.Room.About(digest); err == nil && raw != nil {
		if json.Unmarshal(raw, &known) != nil {
			return uploadFacts{}
		}
	}
	return known
}

// codePageOf gives the code page that an archive was staged with, or another one
// where that is not known.
func (s recoverer) codePageOf(a model.Archive, other string) string {
	if known := s.saidOf(a.Digest); known.Filename != "" {
		return known.CodePage
	}
	return other
}

// Damaged is a content whose bytes are not what they were. Staging one of the
// archives again, named as they were downloaded, mends it.
type Damaged struct {
	Digest   tree.Digest
	Archives []string
}

// Unsound reads everything that the stockroom holds and gives the contents that are
// damaged. tell is told how far it is.
func (s *Service) Unsound(ctx context.Context, tell func(string)) (read int, list []Damaged, err error) {
	var damaged []tree.Digest
	err = s.Records.Contents(ctx, func(d tree.Digest) error {
		if read++; read%1000 == 0 {
			tell(fmt.Sprintf("read %d contents of the stockroom", read))
		}
		ok, err := s.keeping().sound(ctx, d)
		if err == nil && !ok {
			damaged = append(damaged, d)
		}
		return err
	})
	if err != nil || len(damaged) == 0 {
		return read, nil, err
	}
	holds, err := s.Records.ArchivesHolding(ctx, damaged)
	for _, d := range damaged {
		list = append(list, Damaged{d, holds[d]})
	}
	return read, list, err
}
