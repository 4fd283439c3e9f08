package survey

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/settings"
	core "restlesscrate/internal/core/survey"
	"restlesscrate/internal/core/text"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/words"
)

// How much is told of what differs.
const (
	mostDiffs   = 60
	longestDiff = 4 << 10            // bytes
	mostEntries = 12                 // of a packed file
	mostPacked  = deploy.LongestText // bytes of a packed file that is looked into
)

// describe says of changed files what is different in them. A text that the server writes itself,
// and in which all that was deployed holds, is no difference.
func (l *looking) describe(ctx context.Context, items []core.Item) error {
	marks, err := l.Records.SecretMarks(ctx, l.srv.ID)
	if err != nil {
		return err
	}
	told := 0
	for n := range items {
		i := &items[n]
		if i.Kind != core.Changed || i.Is.Being != tree.Content || i.Was.Being != tree.Content || told >= mostDiffs {
			continue
		}
		raw, ok, err := l.now(ctx, *i)
		if err != nil {
			return fmt.Errorf("read %s on %s: %w", i.Path, l.srv.Name, err)
		}
		if !ok {
			continue
		}
		was, had, err := l.Bytes(ctx, i.Was.Digest, mostPacked)
		if err != nil {
			return err
		}
		i.Is.Digest, i.Is.Size = tree.Sum(raw), int64(len(raw))
		if i.Why = l.lost(i.Path, raw); !had {
			continue
		}
		told++
		if settings.Packed(was) && settings.Packed(raw) {
			i.Why = packed(was, raw)
			continue
		}
		i.Diff = diff(l, i.Path, was, raw, func(at string) bool { return text.SecretPath(at) || l.book.Secret(i.Path, at) || marks.Has(i.Path, at) })
	}
	return nil
}

// now gives what a changed file holds, if it is short enough to be told of.
func (l *looking) now(ctx context.Context, i core.Item) (raw []byte, ok bool, err error) {
	if raw, ok = l.texts[i.Path]; ok {
		return raw, true, nil
	}
	name := strings.ToLower(i.Path.Base())
	if i.Is.Size > shortText && (i.Is.Size > mostPacked || !strings.HasSuffix(name, ".zip") && !strings.HasSuffix(name, ".jar")) {
		return nil, false, nil
	}
	raw, err = deploy.ReadText(ctx, l.host, i.Path)
	return raw, err == nil, err
}

// lost says which entries and tweaks that were deployed into a text it does not hold any more;
// empty where it holds them all.
func (l *looking) lost(p tree.Path, raw []byte) string {
	row := l.ledger[p]
	var lost []string
	for _, x := range row.Listed {
		if x.Off {
			continue
		}
		if _, undo, err := settings.Apply(raw, settings.Op{List: x.List, Do: settings.Add, Key: x.Key, Values: x.With}); err != nil || undo.Do != "" {
			lost = append(lost, fmt.Sprintf("the entry of %s is not in it as it was", x.Label))
		}
	}
	for _, k := range row.Tweaks {
		if k.Off {
			continue
		}
		if op, ok := k.Holds(); ok {
			if _, undo, err := settings.Apply(raw, op); err != nil || undo.Do != "" {
				lost = append(lost, fmt.Sprintf("the tweak %s does not hold any more: %s", k.ID, k.Does()))
			}
		}
	}
	return strings.Join(lost, "; ")
}

// held tells whether all that was deployed into a text holds, and nobody deployed it as a whole:
// the rest of it is the server's own.
func (l *looking) held(p tree.Path, raw []byte) bool {
	row := l.ledger[p]
	return len(row.Claims) == 0 && len(row.Listed)+len(row.Tweaks) > 0 && l.lost(p, raw) == ""
}

// packed says what differs in a packed file, by its entries.
func packed(was, now []byte) string {
	before, after := settings.Members(was), settings.Members(now)
	var said []string
	say := func(verb string, names []string) {
		if len(names) > mostEntries {
			said = append(said, fmt.Sprintf("%s %s and %d more", verb, strings.Join(names[:mostEntries], ", "), len(names)-mostEntries))
		} else if len(names) > 0 {
			said = append(said, verb+" "+strings.Join(names, ", "))
		}
	}
	var changed, gone, new []string
	for _, name := range settings.Differing(was, now) {
		if slices.Contains(before, name) {
			changed = append(changed, name)
		} else {
			new = append(new, name)
		}
	}
	for _, name := range before {
		if !slices.Contains(after, name) {
			gone = append(gone, name)
		}
	}
	say("inside it changed", changed)
	say("new in it", new)
	say("gone from it", gone)
	if len(said) == 0 {
		return "packed anew; what is in it is the same"
	}
	return strings.Join(said, "; ")
}

// diff shows how a text reads otherwise, with secrets masked; empty where it is no text.
func diff(l *looking, p tree.Path, was, now []byte, secret func(at string) bool) string {
	before, ok := text.Plain(was)
	after, is := text.Plain(now)
	if !ok || !is {
		return ""
	}
	format := l.format(p, before)
	before, _ = text.Mask(before, format, secret)
	after, _ = text.Mask(after, format, secret)
	d := draft.Diff(p, before, after)
	if len(d) > longestDiff {
		cut := strings.LastIndexByte(d[:longestDiff], '\n') + 1
		d = d[:cut] + fmt.Sprintf("… and %s more\n", words.Count(strings.Count(d[cut:], "\n"), "line"))
	}
	return d
}
