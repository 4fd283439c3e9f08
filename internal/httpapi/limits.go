package httpapi

import (
	"context"
	"errors"
	"io"
	"math"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/time/rate"
)

// Limits of calls, before anybody is signed in.
const (
	maxJSON  = 4 << 20          // bytes of a body that is not an archive
	bodyTime = 30 * time.Second // for such a body, from first to last byte
	stall    = time.Minute      // without a byte of an archive
	// Calls a second from one address, and how many more at once: a console with
	// many pages open, and scripts, stay far below.
	callRate, callBurst = 200, 1000
	// The same for calls that are refused for who makes them.
	deniedRate, deniedBurst = 5, 200
	// addresses is how many are counted at a time.
	addresses = 4096
)

// meters count calls by address.
type meters struct {
	mu   sync.Mutex
	by   map[string]*meter
	now  func() time.Time
	rate rate.Limit
	most int
}

type meter struct {
	*rate.Limiter
	seen time.Time
}

func newMeters(now func() time.Time, perSecond, burst int) *meters {
	return &meters{by: map[string]*meter{}, now: now, rate: rate.Limit(perSecond), most: burst}
}

// meterFor gives the meter of an address. Where too many are counted, those go that were
// not seen for long: they are full again.
func (m *meters) meterFor(address string) *meter {
	m.mu.Lock()
	defer m.mu.Unlock()
	now := m.now()
	one := m.by[address]
	if one == nil {
		if len(m.by) >= addresses {
			for a, x := range m.by {
				if now.Sub(x.seen) > time.Minute {
					delete(m.by, a)
				}
			}
			if len(m.by) >= addresses {
				address = "others"
				one = m.by[address]
			}
		}
		if one == nil {
			one = &meter{Limiter: rate.NewLimiter(m.rate, m.most)}
			m.by[address] = one
		}
	}
	one.seen = now
	return one
}

// wait tells how long an address has to wait for its next call; 0: not at all. It
// counts the call where it may be made.
func (m *meters) wait(address string) time.Duration {
	one := m.meterFor(address)
	r := one.ReserveN(m.now(), 1)
	if d := r.DelayFrom(m.now()); d > 0 {
		r.CancelAt(m.now())
		return d
	}
	return 0
}

// spent tells how long an address has to wait, and counts nothing.
func (m *meters) spent(address string) time.Duration {
	one := m.meterFor(address)
	if tokens := one.TokensAt(m.now()); tokens < 1 {
		return time.Duration((1 - tokens) / float64(m.rate) * float64(time.Second))
	}
	return 0
}

// addressOf is from where a call comes. Behind a proxy on this machine that is the
// last address that it names.
func addressOf(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	if ip := net.ParseIP(host); ip != nil && ip.IsLoopback() {
		if through := r.Header.Get("X-Forwarded-For"); through != "" {
			hops := strings.Split(through, ",")
			return strings.TrimSpace(hops[len(hops)-1])
		}
	}
	return host
}

// limited refuses what comes too fast, and bounds the size of a body and the time
// that it may take, before anything else is done.
func (s gate) limited(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		address := addressOf(r)
		wait := s.calls.wait(address)
		if wait == 0 {
			wait = s.denied.spent(address)
		}
		if wait > 0 {
			c.Response().Header().Set("Retry-After", strconv.Itoa(int(math.Ceil(wait.Seconds()))))
			return writeProblem(c, refusal(http.StatusTooManyRequests, "too-fast", "too many calls come from this address", "Wait a moment, as Retry-After says."))
		}
		ctl := http.NewResponseController(c.Response())
		if plainBody(r) {
			come, _ := strconv.ParseInt(r.URL.Query().Get("from"), 10, 64) // what is no number is refused where it is used
			if s.MaxUpload > 0 && come+max(0, r.ContentLength) > s.MaxUpload {
				return writeProblem(c, tooLarge(s.MaxUpload))
			}
			r.Body = &patient{ReadCloser: r.Body, ctl: ctl, most: s.MaxUpload, read: come}
		} else if !isSafe(r) {
			if r.Body != http.NoBody {
				_ = ctl.SetReadDeadline(time.Now().Add(bodyTime)) // a test's recorder has none
			}
			r.Body = &timed{ReadCloser: http.MaxBytesReader(c.Response(), r.Body, maxJSON), ctl: ctl}
		}
		err := next(c)
		_ = ctl.SetReadDeadline(time.Time{})
		if status := statusOf(c); status == http.StatusUnauthorized {
			s.denied.wait(address)
		}
		return err
	}
}

func statusOf(c *echo.Context) int {
	if r, err := echo.UnwrapResponse(c.Response()); err == nil {
		return r.Status
	}
	return 0
}

var errTooLarge = errors.New("the archive is larger than this service takes")

// patient reads a body that may be long but must not stand still.
type patient struct {
	io.ReadCloser
	ctl  *http.ResponseController
	most int64 // bytes that may come; 0: any number
	read int64
	over atomic.Bool
}

// cut ends the reading, also one that waits for the line.
func (p *patient) cut() {
	p.over.Store(true)
	_ = p.ctl.SetReadDeadline(time.Unix(1, 0))
}

func (p *patient) Read(b []byte) (int, error) {
	_ = p.ctl.SetReadDeadline(time.Now().Add(stall)) // a test's recorder has none
	if p.over.Load() {                               // who cuts from here on comes behind the deadline above
		return 0, context.Canceled
	}
	n, err := p.ReadCloser.Read(b)
	if err != nil && !p.over.Load() {
		_ = p.ctl.SetReadDeadline(time.Time{})
	}
	p.read += int64(n)
	if p.most > 0 && p.read > p.most {
		return n, errTooLarge
	}
	return n, err
}

// timed is a body with a deadline, which ends with it: the server watches the
// connection for a caller who leaves, and would take the deadline for that.
type timed struct {
	io.ReadCloser
	ctl *http.ResponseController
}

func (t *timed) Read(b []byte) (int, error) {
	n, err := t.ReadCloser.Read(b)
	if err != nil {
		_ = t.ctl.SetReadDeadline(time.Time{}) // a test's recorder has none
	}
	return n, err
}
