package httpapi

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	"restlesscrate/internal/fault"
)

// linkLife is how long a sign-in link works.
const linkLife = 10 * time.Minute

type actorKey struct{}

func actorOf(ctx context.Context) string {
	name, _ := ctx.Value(actorKey{}).(string)
	return name
}

// Hash is how tokens and link codes are stored.
func Hash(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}

// openCalls need no credentials: signing in.
func openCall(r *http.Request) bool {
	return r.Method == http.MethodPost && r.URL.Path == api.Prefix+"/session"
}

// signedIn lets a call through that carries a token or a session.
func (s *Server) signedIn(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if openCall(r) {
			return next(c)
		}
		actor, err := s.who(r)
		if err != nil {
			return err
		}
		if actor == "" {
			drain(r.Body)
			return writeProblem(c, ProblemOf(fault.New(fault.Denied, "not-signed-in", "this call needs a token or a session").
				WithMend("Give RESTLESS_TOKEN, or RESTLESS_DATA on the service's own machine; in a browser, sign in.")))
		}
		c.SetRequest(r.WithContext(context.WithValue(r.Context(), actorKey{}, actor)))
		return next(c)
	}
}

func (s *Server) who(r *http.Request) (string, error) {
	if token, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
		name, err := s.Access.TokenName(r.Context(), Hash(token))
		if err != nil {
			return "", nil // an unknown token is nobody
		}
		return name, nil
	}
	return s.sessions.GetString(r.Context(), "actor"), nil
}

// sameSite refuses changing calls that another site's page makes with this
// browser's session. Calls with a token carry no cookie and pass.
func (s *Server) sameSite(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		safe := r.Method == http.MethodGet || r.Method == http.MethodHead || strings.HasPrefix(r.Header.Get("Authorization"), "Bearer ")
		if site := r.Header.Get("Sec-Fetch-Site"); !safe && site != "" && site != "same-origin" && site != "none" {
			return writeProblem(c, &api.Problem{Type: "urn:restless:other-site", Title: "Forbidden", Status: http.StatusForbidden,
				Code: "other-site", Exit: 1, Detail: "this call came from another site's page and was refused"})
		}
		return next(c)
	}
}

// idempotent answers a repeated POST with the first answer. The key is the
// caller's; what is asked under it must be the same.
func (s *Server) idempotent(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		key := r.Header.Get("Idempotency-Key")
		if key == "" || r.Method != http.MethodPost {
			return next(c)
		}
		sum := sha256.New()
		io.WriteString(sum, r.URL.RequestURI())
		if strings.HasPrefix(r.Header.Get("Content-Type"), "application/json") {
			raw, err := io.ReadAll(io.LimitReader(r.Body, 4<<20))
			if err != nil {
				return err
			}
			sum.Write(raw)
			r.Body = io.NopCloser(bytes.NewReader(raw))
		}
		asked := hex.EncodeToString(sum.Sum(nil))
		actor := actorOf(r.Context())
		earlier, fresh, err := s.Memory.Remember(r.Context(), actor, key, asked)
		switch {
		case err != nil:
			return err
		case fresh:
			return s.remembering(c, next, actor, key)
		case earlier.Request != asked:
			return writeProblem(c, ProblemOf(fault.New(fault.Usage, "key-reused", "this idempotency key was used for another request")))
		case earlier.Status == 0:
			return writeProblem(c, ProblemOf(fault.New(fault.Conflict, "still-under-way", "the first request with this idempotency key is still under way")))
		}
		drain(r.Body)
		return c.Blob(earlier.Status, "application/json", earlier.Body)
	}
}

// copied keeps what a handler writes.
type copied struct {
	http.ResponseWriter
	status int
	body   bytes.Buffer
}

func (w *copied) WriteHeader(code int) { w.status = code; w.ResponseWriter.WriteHeader(code) }
func (w *copied) Write(p []byte) (int, error) {
	w.body.Write(p)
	return w.ResponseWriter.Write(p)
}
func (w *copied) Unwrap() http.ResponseWriter { return w.ResponseWriter }

func (s *Server) remembering(c *echo.Context, next echo.HandlerFunc, actor, key string) error {
	w := &copied{ResponseWriter: c.Response(), status: http.StatusOK}
	c.SetResponse(w)
	err := next(c)
	if err != nil {
		w.status = http.StatusInternalServerError
	}
	ctx := context.WithoutCancel(c.Request().Context())
	if e := s.Memory.Answered(ctx, actor, key, w.status, w.body.Bytes()); e != nil {
		s.Log.Error("an answer was not remembered", "err", e)
	}
	return err
}

// NewLink makes a one-time sign-in link for an actor.
func (s *Server) NewLink(ctx context.Context, actor string) (api.SignInLink, error) {
	code := rand.Text()
	l := api.SignInLink{URL: s.BaseURL() + "/sign-in?code=" + code, ExpiresAt: s.Now().Add(linkLife).UTC()}
	return l, s.Access.AddLink(ctx, Hash(code), actor, l.ExpiresAt)
}

func (s *Server) accessOps(h huma.API) {
	huma.Register(h, op(http.MethodPost, "/session", "sign-in", "Sign a browser in", "access"), func(ctx context.Context, in *body[api.SignIn]) (*body[api.Session], error) {
		var actor string
		var err error
		if in.Body.Code != "" {
			actor, err = s.Access.UseLink(ctx, Hash(in.Body.Code))
		} else {
			actor, err = s.Access.TokenName(ctx, Hash(in.Body.Token))
		}
		if err != nil {
			return nil, s.fail(ctx, fault.New(fault.Denied, "sign-in-refused", "this link or token does not work: a link works once, for ten minutes").
				WithMend("restless serve prints a new link at start; the token lies in the data folder."))
		}
		if err := s.sessions.RenewToken(ctx); err != nil {
			return nil, s.fail(ctx, err)
		}
		s.sessions.Put(ctx, "actor", actor)
		return &body[api.Session]{api.Session{Actor: actor}}, nil
	})
	huma.Register(h, op(http.MethodGet, "/session", "get-session", "Who is signed in", "access"), func(ctx context.Context, _ *struct{}) (*body[api.Session], error) {
		return &body[api.Session]{api.Session{Actor: actorOf(ctx)}}, nil
	})
	huma.Register(h, op(http.MethodDelete, "/session", "sign-out", "Sign this browser out", "access"), func(ctx context.Context, _ *struct{}) (*done, error) {
		return nil, s.fail(ctx, s.sessions.Destroy(ctx))
	})
	huma.Register(h, op(http.MethodPost, "/signin-links", "make-signin-link", "Make a one-time sign-in link", "access"), func(ctx context.Context, _ *struct{}) (*body[api.SignInLink], error) {
		l, err := s.NewLink(ctx, actorOf(ctx))
		return &body[api.SignInLink]{l}, s.fail(ctx, err)
	})
}
