// Package notices tells people what came of what is done by itself: to a web address, by mail, or in
// a feed (Atom, RFC 4287).
package notices

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/mail"
	"net/url"
	"strconv"
	"strings"
	"sync"
	"time"

	gomail "github.com/wneessen/go-mail"

	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/fetch"
	"restlesscrate/internal/model"
)

// Records keeps where results are told.
type Records interface {
	Notices(ctx context.Context) ([]model.Notice, error)
	AddNotice(ctx context.Context, n model.Notice) error
	DropNotice(ctx context.Context, name string) error
	NoticeTold(ctx context.Context, id int64, trouble string) error
}

// Service is the use cases.
type Service struct {
	Records Records
	Seal    func([]byte) ([]byte, error)
	Unseal  func([]byte) ([]byte, error)
	// Keyed gives a hash of a secret that is worth nothing without the key file.
	Keyed func(purpose, secret string) string
	// Client reaches web addresses, as far as they may be reached.
	Client *http.Client
	Log    *slog.Logger

	wg sync.WaitGroup
}

// Result is what is told, as a web address gets it.
type Result struct {
	Schedule   string    `json:"schedule"`
	Server     string    `json:"server"`
	Does       string    `json:"does"`
	State      string    `json:"state"`
	Good       bool      `json:"good"`
	Words      string    `json:"words"`
	Deployment string    `json:"deployment,omitempty"`
	Due        time.Time `json:"due"`
	Ended      time.Time `json:"ended"`
}

// FeedPurpose is for which the addresses of feeds are hashed.
const FeedPurpose = "notices"

// SignatureHeader holds the HMAC-SHA256 of a webhook's body by its secret, in hexadecimal digits.
const SignatureHeader = "Restless-Signature"

// Add has results told. It gives the secret by which a web address knows what is ours, or that is
// part of a feed's address: nobody gets to know it later.
func (s *Service) Add(ctx context.Context, n model.Notice, password string) (secret string, err error) {
	if !rulebook.IsName(n.Name) {
		return "", fault.New(fault.Usage, "bad-name", "%q is no name for a notice: lower-case letters, digits and hyphens", n.Name)
	}
	sealed := password
	switch w := &n.Way; {
	case w.Webhook != "" && w.MailTo == "" && !w.Feed:
		u, err := url.Parse(w.Webhook)
		if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" {
			return "", fault.New(fault.Usage, "bad-address", "%q is no address of the web", w.Webhook)
		}
		secret = rand.Text()
		sealed = secret
	case w.MailTo != "" && w.Webhook == "" && !w.Feed:
		_, err1 := mail.ParseAddress(w.MailTo)
		_, err2 := mail.ParseAddress(w.From)
		if err := errors.Join(err1, err2); err != nil {
			return "", fault.New(fault.Usage, "bad-address", "mail needs an address to send to, and one from which it comes: %v", err)
		}
		if _, _, err := hostPort(w.SMTP); err != nil {
			return "", fault.New(fault.Usage, "bad-address", "%q is no mail server, such as mail.example.org:587", w.SMTP)
		}
	case w.Feed && w.Webhook == "" && w.MailTo == "":
		secret = rand.Text()
		w.Key = s.Keyed(FeedPurpose, secret)
	default:
		return "", fault.New(fault.Usage, "bad-notice", "results are told to one web address, by mail, or in a feed")
	}
	if sealed != "" {
		if n.Secret, err = s.Seal([]byte(sealed)); err != nil {
			return "", err
		}
	}
	if err := s.Records.AddNotice(ctx, n); err != nil {
		var taken *model.ConflictError
		if errors.As(err, &taken) {
			return "", fault.New(fault.Conflict, "name-taken", "%v", taken)
		}
		return "", err
	}
	return secret, nil
}

func hostPort(text string) (host string, port int, err error) {
	host, said, err := net.SplitHostPort(text)
	if err != nil {
		return "", 0, err
	}
	port, err = strconv.Atoi(said)
	return host, port, err
}

// List gives where results are told, by name.
func (s *Service) List(ctx context.Context) ([]model.Notice, error) { return s.Records.Notices(ctx) }

// Drop tells results there no more.
func (s *Service) Drop(ctx context.Context, name string) error {
	err := s.Records.DropNotice(ctx, name)
	if errors.Is(err, model.ErrNotFound) {
		return fault.New(fault.Unknown, "notice-unknown", "there is no notice named %q", name)
	}
	return err
}

// FeedOf finds the feed whose address holds a secret.
func (s *Service) FeedOf(ctx context.Context, secret string) (model.Notice, bool, error) {
	list, err := s.Records.Notices(ctx)
	key := s.Keyed(FeedPurpose, secret)
	for _, n := range list {
		if n.Way.Feed && hmac.Equal([]byte(n.Way.Key), []byte(key)) {
			return n, true, nil
		}
	}
	return model.Notice{}, false, err
}

// Test tells a made-up result, now.
func (s *Service) Test(ctx context.Context, name string) error {
	list, err := s.Records.Notices(ctx)
	if err != nil {
		return err
	}
	for _, n := range list {
		if n.Name != name {
			continue
		}
		if n.Way.Feed {
			return nil
		}
		err := s.send(ctx, n, Result{Schedule: "a-test", Server: "no-server", Does: "nothing", State: "test", Good: true, Words: "this is only a test", Ended: time.Now().UTC()})
		if e := s.told(ctx, n, err); e != nil {
			return e
		}
		if err != nil {
			return fault.New(fault.Failed, "not-told", "%s could not be told: %v", name, err)
		}
		return nil
	}
	return fault.New(fault.Unknown, "notice-unknown", "there is no notice named %q", name)
}

func (s *Service) told(ctx context.Context, n model.Notice, err error) error {
	trouble := ""
	if err != nil {
		trouble = err.Error()
	}
	return s.Records.NoticeTold(context.WithoutCancel(ctx), n.ID, trouble)
}

// tries is how often a result is told, with growing waits between, before that is given up.
const tries = 4

// Tell tells what came of a schedule, to everybody who wants to know, without waiting for it.
func (s *Service) Tell(ctx context.Context, c model.Schedule, r model.ScheduleRun) {
	list, err := s.Records.Notices(ctx)
	if err != nil {
		s.Log.Warn("nobody is told what came of a schedule", "schedule", c.Name, "err", err)
		return
	}
	res := Result{Schedule: c.Name, Server: c.Server, Does: c.Does, State: r.State, Good: !r.Bad(), Words: r.Words, Deployment: r.Deployment, Due: r.Due.UTC(), Ended: r.Ended.UTC()}
	for _, n := range list {
		if n.Way.Feed || !r.Bad() && !n.Successes {
			continue
		}
		s.wg.Go(func() {
			var err error
			for try := range tries {
				if try > 0 {
					select {
					case <-ctx.Done():
						return
					case <-time.After(time.Duration(try*try) * 5 * time.Second):
					}
				}
				if err = s.send(ctx, n, res); err == nil {
					break
				}
			}
			if err != nil {
				s.Log.Warn("a result could not be told", "notice", n.Name, "schedule", c.Name, "err", err)
			}
			if err := s.told(ctx, n, err); err != nil {
				s.Log.Warn("it is not recorded that a result was told", "notice", n.Name, "err", err)
			}
		})
	}
}

func (s *Service) send(ctx context.Context, n model.Notice, r Result) error {
	secret := ""
	if len(n.Secret) > 0 {
		raw, err := s.Unseal(n.Secret)
		if err != nil {
			return err
		}
		secret = string(raw)
	}
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	if n.Way.MailTo != "" {
		return sendMail(ctx, n.Way, secret, r)
	}
	return s.post(ctx, n.Way, secret, r)
}

// post sends a result to a web address as JSON, signed by the secret of the notice.
func (s *Service) post(ctx context.Context, w model.NoticeWay, secret string, r Result) error {
	raw, err := json.Marshal(r)
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, w.Webhook, bytes.NewReader(raw))
	if err != nil {
		return err
	}
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write(raw)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("User-Agent", "restless-crate")
	req.Header.Set(SignatureHeader, hex.EncodeToString(mac.Sum(nil)))
	res, err := s.Client.Do(req)
	if err != nil {
		var refused *fetch.RefusedError
		if errors.As(err, &refused) {
			return refused
		}
		var at *url.Error // the address may be a secret itself
		if errors.As(err, &at) {
			err = at.Err
		}
		return err
	}
	defer res.Body.Close()
	if res.StatusCode >= 300 {
		return fmt.Errorf("%s answers %s", req.URL.Host, res.Status)
	}
	return nil
}

// sendMail sends a result by mail.
func sendMail(ctx context.Context, w model.NoticeWay, password string, r Result) error {
	host, port, err := hostPort(w.SMTP)
	if err != nil {
		return err
	}
	policy := gomail.TLSMandatory
	if w.NoTLS {
		policy = gomail.NoTLS
	}
	opts := []gomail.Option{gomail.WithPort(port), gomail.WithTLSPolicy(policy), gomail.WithTLSConfig(&tls.Config{ServerName: host, MinVersion: tls.VersionTLS12})}
	if port == 465 {
		opts = append(opts, gomail.WithSSL())
	}
	if w.User != "" {
		opts = append(opts, gomail.WithSMTPAuth(gomail.SMTPAuthAutoDiscover), gomail.WithUsername(w.User), gomail.WithPassword(password))
	}
	c, err := gomail.NewClient(host, opts...)
	if err != nil {
		return err
	}
	m := gomail.NewMsg()
	if err := errors.Join(m.From(w.From), m.To(w.MailTo)); err != nil {
		return err
	}
	m.Subject(Title(r))
	m.SetBodyString(gomail.TypeTextPlain, Text(r))
	return c.DialAndSendWithContext(ctx, m)
}

// Title says in one line what came of a schedule.
func Title(r Result) string {
	return fmt.Sprintf("%s: %s of %s: %s", r.Server, r.Does, r.Schedule, r.State)
}

// Text says what came of a schedule.
func Text(r Result) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n\nSchedule %s, %s on %s: %s.\n", r.Words, r.Schedule, r.Does, r.Server, r.State)
	if !r.Due.IsZero() {
		fmt.Fprintf(&b, "It was due %s and ended %s.\n", r.Due.Format(time.RFC3339), r.Ended.Format(time.RFC3339))
	}
	if r.Deployment != "" {
		fmt.Fprintf(&b, "Deployment %s.\n", r.Deployment)
	}
	return b.String()
}
