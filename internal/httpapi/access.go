package httpapi

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/tree"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
)

// linkLife is how long a sign-in link works.
const linkLife = 10 * time.Minute

type actorKey struct{}

func actorOf(ctx context.Context) string {
	name, _ := ctx.Value(actorKey{}).(string)
	return name
}

// Hash names a secret before it is keyed: what earlier versions kept was this.
func Hash(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}

// hashed is how a token or a sign-in code is kept: with a key that is not in the
// database.
func (s gate) hashed(purpose, secret string) string { return s.Keyed(purpose, Hash(secret)) }

// Purposes of keyed hashes.
const (
	TokenPurpose   = "token"
	LinkPurpose    = "link"
	SessionPurpose = "session"
	requestPurpose = "request"
)

// openCalls need no credentials: signing in.
func openCall(r *http.Request) bool {
	return r.Method == http.MethodPost && r.URL.Path == api.Prefix+"/session"
}

// signedIn lets a call through that carries a token or a session.
func (s gate) signedIn(next echo.HandlerFunc) echo.HandlerFunc {
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
				WithMend("Sign in. A program gives a token; on the service's own machine, the data folder holds one.")))
		}
		c.SetRequest(r.WithContext(context.WithValue(r.Context(), actorKey{}, actor)))
		return next(c)
	}
}

func (s gate) who(r *http.Request) (string, error) {
	if token, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
		name, err := s.Access.TokenName(r.Context(), s.hashed(TokenPurpose, token))
		if errors.Is(err, model.ErrNotFound) {
			return "", nil // an unknown token is nobody
		}
		return name, err
	}
	return s.sessions.GetString(r.Context(), "actor"), nil
}

// secretFields are members of request bodies that are never hashed or kept.
var secretFields = []string{"secrets", "token", "code", "password", "passphrase", "key"}

// requestName names what is asked for under an idempotency key, by a keyed hash
// without any secret. A body that is no JSON object has no name but its address.
func (s gate) requestName(r *http.Request, raw []byte) string {
	var body map[string]any
	if json.Unmarshal(raw, &body) == nil {
		dropSecrets(body)
		raw, _ = json.Marshal(body) // it was JSON a moment ago
	} else {
		raw = nil
	}
	return s.Keyed(requestPurpose, r.URL.RequestURI()+"\x00"+string(raw))
}

func dropSecrets(body map[string]any) {
	for name, v := range body {
		if slices.Contains(secretFields, name) {
			delete(body, name)
			continue
		}
		if inner, ok := v.(map[string]any); ok {
			dropSecrets(inner)
		}
	}
}

// forgotten are calls whose answers hold a secret: they are never remembered.
func forgotten(path string) bool {
	return strings.HasPrefix(path, api.Prefix+"/session") || strings.HasPrefix(path, api.Prefix+"/signin-links") || strings.HasPrefix(path, api.Prefix+"/tokens")
}

// idempotent answers a repeated POST with the first answer. The key is the
// caller's, who is signed in; what is asked under it must be the same.
func (s gate) idempotent(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		key := r.Header.Get("Idempotency-Key")
		actor := actorOf(r.Context())
		if key == "" || r.Method != http.MethodPost || actor == "" || forgotten(r.URL.Path) {
			return next(c)
		}
		if len(key) > longestKey {
			return writeProblem(c, ProblemOf(fault.New(fault.Usage, "bad-key", "an idempotency key has at most %d characters", longestKey)))
		}
		var raw []byte
		if isJSON(r) {
			var err error
			if raw, err = io.ReadAll(io.LimitReader(r.Body, maxJSON)); err != nil {
				return err
			}
			r.Body = io.NopCloser(bytes.NewReader(raw))
		}
		asked := s.requestName(r, raw)
		earlier, fresh, err := s.Memory.Remember(r.Context(), actor, key, asked)
		switch {
		case err != nil && strings.HasSuffix(r.URL.Path, "/undo"):
			// What cannot be written down must not keep a change from being taken back:
			// the disk may be full. A second undo finds nothing to do.
			s.Log.Warn("an undo is begun without its idempotency key", "err", err)
			return next(c)
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

// longestKey is how long an idempotency key may be.
const longestKey = 200

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
	return l, s.Access.AddLink(ctx, s.gate().hashed(LinkPurpose, code), actor, l.ExpiresAt)
}

func (s *Server) accessOps(h huma.API) {
	huma.Register(h, op(http.MethodPost, "/session", "sign-in", "Sign a browser in", "access"), func(ctx context.Context, in *body[api.SignIn]) (*body[api.Session], error) {
		var actor string
		var err error
		if in.Body.Code != "" {
			actor, err = s.Access.UseLink(ctx, s.gate().hashed(LinkPurpose, in.Body.Code))
		} else {
			actor, err = s.Access.TokenName(ctx, s.gate().hashed(TokenPurpose, in.Body.Token))
		}
		if err != nil && !errors.Is(err, model.ErrNotFound) {
			return nil, s.fail(ctx, fmt.Errorf("sign in: %w", err))
		}
		if err != nil {
			return nil, s.fail(ctx, fault.New(fault.Denied, "sign-in-refused", "this link or token does not work: a link works once, for ten minutes").
				WithMend("Get another link on the service's machine; the token lies in its data folder.").By(finding.NewLink.With()))
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
	huma.Register(h, op(http.MethodGet, "/tokens", "list-tokens", "List the tokens that sign clients in", "access"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.Token]], error) {
		all, err := s.Access.Tokens(ctx)
		return &body[api.Page[api.Token]]{page(all, -1, func(t model.Token) int64 { return t.ID }, wireToken)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/tokens", "make-token", "Make a token; it is shown this once", "access"), func(ctx context.Context, in *body[api.NewToken]) (*body[api.MadeToken], error) {
		name := in.Body.Name
		if _, ok := tree.Unseen(name); !ok || strings.TrimSpace(name) == "" || len(name) > 60 {
			return nil, s.fail(ctx, fault.New(fault.Usage, "bad-name", "a token needs a name of at most 60 characters, such as whose it is or what for"))
		}
		token := NewToken()
		t, err := s.Access.AddToken(ctx, name, s.gate().hashed(TokenPurpose, token))
		return &body[api.MadeToken]{api.MadeToken{Token: wireToken(t), Secret: token}}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodDelete, "/tokens/{id}", "end-token", "End a token: it signs nobody in any more", "access"), func(ctx context.Context, in *ByID) (*done, error) {
		return nil, s.fail(ctx, unknown(s.Access.EndToken(ctx, in.ID), "token", in.ID))
	})
	huma.Register(h, op(http.MethodGet, "/sessions", "list-sessions", "List the browsers that are signed in", "access"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.BrowserSession]], error) {
		all, err := s.Access.SessionList(ctx)
		return &body[api.Page[api.BrowserSession]]{page(all, -1, func(v model.Session) int64 { return v.ID }, wireSession)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodDelete, "/sessions/{id}", "end-session", "Sign a browser out", "access"), func(ctx context.Context, in *ByID) (*done, error) {
		return nil, s.fail(ctx, unknown(s.Access.EndSession(ctx, in.ID), "session", in.ID))
	})
}

// ByID is the thing that a call is about.
type ByID struct {
	ID int64 `path:"id"`
}

func unknown(err error, what string, id int64) error {
	if errors.Is(err, model.ErrNotFound) {
		return fault.New(fault.Unknown, what+"-unknown", "there is no %s %d", what, id).By(map[string]finding.Remedy{"token": finding.ShowTokens.With(), "session": finding.ShowSessions.With()}[what])
	}
	return err
}

// NewToken makes a token.
func NewToken() string { return "rc_" + rand.Text() }

func wireToken(t model.Token) api.Token {
	w := api.Token{ID: t.ID, Name: t.Name, MadeAt: t.CreatedAt}
	if !t.UsedAt.IsZero() {
		w.UsedAt = &t.UsedAt
	}
	return w
}

func wireSession(v model.Session) api.BrowserSession {
	return api.BrowserSession{ID: v.ID, Actor: v.Actor, SignedInAt: v.CreatedAt, ExpiresAt: v.ExpiresAt}
}
