package hosts

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"strings"
	"sync"
	"time"

	"restlesscrate/internal/control"
	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/rollcall"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
)

// Powered is a server's power, log and console, as a deployment uses them.
type Powered struct {
	d    *control.Driver // nil where the server is not controlled
	host remote.Host
	book *rulebook.Book
	log  tree.Path // tree.Root where the rulebook names none
	srv  model.Server
	seen *seen // nil where nobody writes down what is found

	mu   sync.Mutex
	anew map[deploy.LogMark]bool // marks of logs that were begun anew since
}

var _ deploy.Power = (*Powered)(nil)

// Power gives what stops and starts a server over an open host. It is never nil:
// a server that is not controlled has a log all the same.
func (s *Service) Power(ctx context.Context, srv model.Server, h remote.Host, b *rulebook.Book) (*Powered, error) {
	p := &Powered{host: h, book: b}
	if b.Log.File != "" {
		text, err := rulebook.Fill(b.Log.File, func(name string) (string, bool) { v, ok := srv.Variables[name]; return v, ok })
		if err == nil {
			p.log, err = tree.ParsePath(text)
		}
		if err != nil {
			return nil, fmt.Errorf("the log of %s: %w", srv.Name, err)
		}
	}
	spec, err := specOf(srv)
	if err != nil || spec == nil {
		return p, err
	}
	p.d = s.driver(context.WithoutCancel(ctx), srv, spec, h)
	p.srv, p.seen = srv, s.noted()
	return p, nil
}

// Controlled tells whether there is any way to stop, start or probe the server.
func (p *Powered) Controlled() bool { return p.d != nil }

// Known is what a draft has to know.
func (p *Powered) Known(ctx context.Context) *draft.Power {
	if p.d == nil {
		return nil
	}
	state, _ := p.State(ctx)
	k := &draft.Power{Condition: state, Rolls: p.log != tree.Root && len(p.book.Log.Loaded) > 0 || p.book.Console.Send != "" && p.canSay()}
	way := func(a power.Act) (string, string) {
		w, ok := p.d.Spec.Acts[a]
		switch {
		case !ok:
			return "", ""
		case w.By == power.ByHand:
			return power.ByHand, w.Command
		}
		return w.By, ""
	}
	k.Stop, k.StopWords = way(power.Stop)
	k.Start, k.StartWords = way(power.Start)
	k.Takes = p.d.Spec.Acts[power.Start].Takes()
	k.Reload = p.canSay() || p.d.Spec.Can(power.Reload)
	if len(p.d.Spec.Probes) == 0 {
		k.Stop, k.Start = "", "" // without a probe nothing proves that it has stopped
	}
	for _, w := range p.d.Spec.Warn {
		k.Warns = max(k.Warns, w.Seconds)
	}
	return k
}

// canSay tells whether a line can be sent to the console: by RCON or by what is set for say.
func (p *Powered) canSay() bool { return p.d.Spec.RCON != "" || p.d.Spec.Can(power.Say) }

// State implements [deploy.Power].
func (p *Powered) State(ctx context.Context) (power.Condition, string) {
	c, found := p.d.State(ctx)
	if p.seen != nil {
		if err := p.seen.game(ctx, p.srv, c, found); err != nil {
			return power.Unknown, err.Error()
		}
	}
	return c, foundBy(found)
}

// Do implements [deploy.Power].
func (p *Powered) Do(ctx context.Context, act power.Act, subject string, with map[string]string) error {
	d := *p.d
	d.Variables = maps.Clone(d.Variables)
	for name, value := range with {
		if d.Variables == nil {
			d.Variables = map[string]string{}
		}
		d.Variables[name] = value
	}
	if _, err := d.Do(ctx, act, subject); err != nil {
		return err
	}
	if p.seen == nil {
		return nil
	}
	return p.seen.meant(ctx, p.srv, act)
}

// Warn implements [deploy.Power].
func (p *Powered) Warn(ctx context.Context) error {
	for i, w := range p.d.Spec.Warn {
		if _, err := p.d.Do(ctx, power.Say, strings.ReplaceAll(w.Line, "{seconds}", fmt.Sprint(w.Seconds))); err != nil {
			return err
		}
		next := 0
		if i+1 < len(p.d.Spec.Warn) {
			next = p.d.Spec.Warn[i+1].Seconds
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(time.Duration(max(0, w.Seconds-next)) * time.Second):
		}
	}
	return nil
}

// Limits implements [deploy.Power].
func (p *Powered) Limits() (stop, ready time.Duration) {
	return control.StopLimit(p.d.Spec), control.ReadyLimit(p.d.Spec)
}

// headLong is how much of a log's beginning, and of its end, tells it from another one.
const headLong = 256

// LogEnd implements [deploy.Power]. A log that is not there ends at 0.
func (p *Powered) LogEnd(ctx context.Context) (deploy.LogMark, error) {
	if p.log == tree.Root {
		return deploy.LogMark{}, nil
	}
	i, err := p.host.Stat(ctx, p.log)
	if err != nil || i.Being != tree.Content {
		return deploy.LogMark{}, err
	}
	mark := deploy.LogMark{Size: i.Size, Long: min(i.Size, headLong), Modified: i.Modified}
	head, err := p.piece(ctx, 0, mark.Long)
	if err == nil && i.Size > mark.Long {
		var tail []byte
		tail, err = p.piece(ctx, i.Size-mark.Long, mark.Long)
		mark.Tail = sumOf(tail)
	}
	if errors.Is(err, fs.ErrNotExist) { // it was put aside just now
		return deploy.LogMark{}, nil
	}
	mark.Head = sumOf(head)
	return mark, err
}

// begunAnew tells whether a log is another one than that of a mark. Once it was seen to be,
// it stays so: later it may have grown to look like the one before.
func (p *Powered) begunAnew(ctx context.Context, since deploy.LogMark, now remote.Info) (anew bool, err error) {
	p.mu.Lock()
	seen := p.anew[since]
	p.mu.Unlock()
	if seen {
		return true, nil
	}
	differs := func(from int64, sum string) bool {
		var raw []byte
		if err == nil {
			raw, err = p.piece(ctx, from, since.Long)
		}
		return err == nil && sumOf(raw) != sum
	}
	switch {
	case now.Size < since.Size:
		anew = true
	case since.Long == 0:
	case now.Size == since.Size && since.Modified != 0 && now.Modified != since.Modified:
		anew = true
	case differs(0, since.Head):
		anew = true
	case since.Tail != "" && differs(since.Size-since.Long, since.Tail):
		anew = true
	}
	if err == nil && anew {
		p.mu.Lock()
		defer p.mu.Unlock()
		if p.anew == nil {
			p.anew = map[deploy.LogMark]bool{}
		}
		p.anew[since] = true
	}
	return anew, err
}

func sumOf(raw []byte) string {
	sum := sha256.Sum256(raw)
	return hex.EncodeToString(sum[:8])
}

// piece reads a part of the log.
func (p *Powered) piece(ctx context.Context, from, long int64) ([]byte, error) {
	f, err := p.host.OpenFrom(ctx, p.log, from)
	if err != nil {
		return nil, err
	}
	raw, err := io.ReadAll(io.LimitReader(f, long))
	return raw, errors.Join(err, f.Close())
}

// LongestLog is how much of a log is read at most: its end.
const LongestLog = 4 << 20

// LogSince gives what the log has held since a mark: all of it where it was begun
// anew. A log that is not there is empty.
func (p *Powered) LogSince(ctx context.Context, since deploy.LogMark) (string, error) {
	raw, _, err := p.LogFrom(ctx, since)
	return rollcall.Decode(raw), err
}

// LogFrom is LogSince in bytes, with where they begin.
func (p *Powered) LogFrom(ctx context.Context, since deploy.LogMark) ([]byte, int64, error) {
	raw, from, err := p.logFrom(ctx, since)
	if errors.Is(err, fs.ErrNotExist) { // it was put aside just now
		return nil, 0, nil
	}
	return raw, from, err
}

func (p *Powered) logFrom(ctx context.Context, since deploy.LogMark) ([]byte, int64, error) {
	if p.log == tree.Root {
		return nil, 0, nil
	}
	i, err := p.host.Stat(ctx, p.log)
	if err != nil || i.Being != tree.Content {
		return nil, 0, err
	}
	from := since.Size
	anew, err := p.begunAnew(ctx, since, i)
	if err != nil {
		return nil, 0, err
	}
	if anew {
		from = 0
	}
	from = max(from, i.Size-LongestLog)
	raw, err := p.piece(ctx, from, i.Size-from)
	return raw, from, err
}

// Ready implements [deploy.Power]: by the ready line where the rulebook knows
// one, else by the server's state.
func (p *Powered) Ready(ctx context.Context, since deploy.LogMark) (bool, string, error) {
	state, words := p.State(ctx)
	if len(p.book.Log.Ready) == 0 || p.log == tree.Root {
		return state == power.Running, words, nil
	}
	text, err := p.LogSince(ctx, since)
	if err != nil {
		return false, "", fmt.Errorf("read the log: %w", err)
	}
	l := rollcall.Read(p.book.Log, text)
	switch {
	case l.Ready && state == power.Stopped:
		return false, "its log says that it is ready, but it does not run as far as can be told; " + words, nil
	case l.Ready:
		return true, "its log says that it is ready", nil
	}
	last := ""
	if l.Last != "" {
		last = fmt.Sprintf(", the last: %q", l.Last)
	}
	return false, fmt.Sprintf("its log has no ready line yet, in %d lines since the start%s; %s", l.Lines, last, words), nil
}

// Answers sends lines to the console and gives what it answers, by line. There are none where no
// line can be sent.
func (p *Powered) Answers(ctx context.Context, lines []string) (map[string]string, error) {
	if p.d == nil || !p.canSay() {
		return nil, nil
	}
	out := map[string]string{}
	for _, line := range lines {
		ans, err := p.d.Do(ctx, power.Say, line)
		if err != nil {
			return out, err
		}
		out[line] = ans.Text
	}
	return out, nil
}

// Ask sends the line whose answer tells what is loaded. ok is false where there is
// none, or no console.
func (p *Powered) Ask(ctx context.Context) (heard []rollcall.Heard, ok bool, err error) {
	if p.d == nil || p.book.Console.Send == "" || !p.canSay() {
		return nil, false, nil
	}
	ans, err := p.d.Do(ctx, power.Say, p.book.Console.Send)
	if err != nil {
		return nil, false, err
	}
	return rollcall.Answer(p.book.Console, ans.Text), true, nil
}
