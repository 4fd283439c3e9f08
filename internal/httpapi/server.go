// Package httpapi is the service's face: the API under /api/v1, its OpenAPI
// document, sign-in, event streams, and the console's files. It translates
// between the wire types of package api and the use cases; it decides nothing.
package httpapi

import (
	"context"
	"encoding/json"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/adopt"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/service/changes"
	"restlesscrate/internal/service/desk"
	"restlesscrate/internal/service/feeds"
	"restlesscrate/internal/service/files"
	"restlesscrate/internal/service/groups"
	"restlesscrate/internal/service/hosts"
	"restlesscrate/internal/service/insight"
	"restlesscrate/internal/service/learning"
	"restlesscrate/internal/service/mending"
	"restlesscrate/internal/service/narrowing"
	"restlesscrate/internal/service/notices"
	"restlesscrate/internal/service/packing"
	"restlesscrate/internal/service/promotion"
	"restlesscrate/internal/service/schedules"
	"restlesscrate/internal/service/survey"
	"restlesscrate/internal/service/texts"
	"restlesscrate/internal/service/tidying"
	"restlesscrate/internal/service/witness"
)

// Access is what sign-in needs of the records.
type Access interface {
	TokenName(ctx context.Context, hash string) (string, error)
	Tokens(ctx context.Context) ([]model.Token, error)
	AddToken(ctx context.Context, name, hash string) (model.Token, error)
	EndToken(ctx context.Context, id int64) error
	SessionList(ctx context.Context) ([]model.Session, error)
	EndSession(ctx context.Context, id int64) error
	AddLink(ctx context.Context, hash, actor string, expires time.Time) error
	UseLink(ctx context.Context, hash string) (actor string, err error)
}

// Memory keeps the answers to requests with an idempotency key.
type Memory interface {
	Remember(ctx context.Context, actor, key, request string) (earlier Remembered, fresh bool, err error)
	Answered(ctx context.Context, actor, key string, status int, body []byte) error
}

// Remembered is the answer that was given under a key; Status 0 while the
// first request is under way.
type Remembered struct {
	Request string
	Status  int
	Body    []byte
}

// Server holds the use cases that calls reach.
type Server struct {
	Catalog   *catalog.Service
	Parts     *catalog.Parts // uploads that go on where they stopped
	Hosts     *hosts.Service
	Changes   *changes.Service
	Insight   *insight.Service
	Desk      *desk.Service
	Files     *files.Service
	Surveys   *survey.Service
	Adopting  *adopt.Service
	Feeds     *feeds.Service
	Schedules *schedules.Service
	Groups    *groups.Service
	Promotion *promotion.Service
	Packing   *packing.Service
	Notices   *notices.Service
	Learning  *learning.Service
	Tidying   *tidying.Service
	Narrowing *narrowing.Service
	Mending   *mending.Service
	Texts     *texts.Service
	Witness   *witness.Service
	Jobs      *jobs.Engine
	Access    Access
	Memory    Memory
	Sessions  scs.Store
	Ready     func(context.Context) error
	// Integrity looks over the whole database.
	Integrity func(context.Context) error
	Metrics   http.Handler
	Console   fs.FS // the built console
	Log       *slog.Logger
	Now       func() time.Time
	Version   string
	BaseURL   func() string // by which people reach it
	// Keyed gives a hash of a secret that is worth nothing without the key file.
	Keyed func(purpose, secret string) string
	// Counter changes whenever the records do.
	Counter func(ctx context.Context) (int64, error)
	// News tells what has changed since the counter had a value.
	News      func(ctx context.Context, since int64) (model.News, error)
	Web       catalog.Web // gives files of other hosts
	MaxUpload int64       // bytes of the largest archive that is taken; 0: any

	sessions      *scs.SessionManager
	calls, denied *meters
	acts          underWay
	watch         *watching
	bundles       sync.Once
	bundleTurns   chan struct{}
}

// For how long a session lasts, used and unused.
const (
	sessionLife = 30 * 24 * time.Hour
	sessionIdle = 3 * 24 * time.Hour
)

var problemsOnce sync.Once

// Handler builds the routes. It is called once.
func (s *Server) Handler() http.Handler {
	e := echo.New()
	e.Logger = s.Log
	e.HTTPErrorHandler = handleError(s.Log)
	s.sessions = scs.New()
	s.sessions.Store = s.Sessions
	s.sessions.Lifetime, s.sessions.IdleTimeout = sessionLife, sessionIdle
	s.sessions.Cookie.Name = "restless_session"
	if strings.HasPrefix(s.BaseURL(), "https://") { // then TLS is in front
		s.sessions.Cookie.Name, s.sessions.Cookie.Secure = "__Host-restless_session", true
	}
	s.sessions.Cookie.SameSite = http.SameSiteStrictMode
	s.sessions.Cookie.HttpOnly = true
	s.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		// The records could not be asked: that is not the caller's fault.
		p := ProblemOf(err)
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(p.Status)
		_ = json.NewEncoder(w).Encode(p) // who asked has gone; there is nobody to tell
		s.Log.Error("sessions cannot be read or written", "err", err)
	}
	s.watch = &watching{counter: s.Counter}
	s.calls, s.denied = newMeters(s.Now, callRate, callBurst), newMeters(s.Now, deniedRate, deniedBurst)

	e.Use(s.gate().logged, s.gate().ownHost)
	e.GET("/healthz", func(c *echo.Context) error { return c.String(http.StatusOK, "ok\n") })
	e.GET("/readyz", s.ready)
	e.GET("/metrics", echo.WrapHandler(s.Metrics), s.gate().signedIn)
	g := e.Group(api.Prefix, s.gate().limited, s.gate().signedIn, s.gate().sameSite, typed, s.gate().idempotent, s.counted, packed())
	doc := s.describe(&adapter{Handler: e, group: g})
	s.plainRoutes(g, doc)
	e.GET("/notices/:secret", s.following().results, s.gate().limited)
	s.packers().packRoutes(e)
	e.GET("/*", s.streaming().page, packed())
	return s.sessions.LoadAndSave(e)
}

// The calls whose bodies may be long.
const (
	archivesPath = api.Prefix + "/archives"
	assetsPath   = api.Prefix + "/assets"
)

func (s *Server) ready(c *echo.Context) error {
	if err := s.Ready(c.Request().Context()); err != nil {
		return c.String(http.StatusServiceUnavailable, "not ready: "+err.Error()+"\n")
	}
	return c.String(http.StatusOK, "ready\n")
}

// describe registers every described operation and gives the document.
func (s *Server) describe(a huma.Adapter) *huma.OpenAPI {
	problemsOnce.Do(func() {
		huma.NewError = invalid
		huma.NewErrorWithContext = func(_ huma.Context, status int, message string, errs ...error) huma.StatusError {
			return invalid(status, message, errs...)
		}
	})
	conf := huma.DefaultConfig("Restless Crate", s.Version)
	conf.OpenAPIPath, conf.DocsPath, conf.SchemasPath = "", "", ""
	conf.CreateHooks = nil
	conf.Servers = []*huma.Server{{URL: api.Prefix}}
	conf.Info.Description = "Stage, draft, run, track and roll back changes to game servers."
	conf.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token":   {Type: "http", Scheme: "bearer"},
		"session": {Type: "apiKey", In: "cookie", Name: "restless_session"},
	}
	conf.Security = []map[string][]string{{"token": {}}, {"session": {}}}
	h := huma.NewAPI(conf, a)
	s.serverOps(h)
	s.controlling().controlOps(h)
	s.catalogOps(h)
	s.changing().changeOps(h)
	s.jobs().jobOps(h)
	s.insightOps(h)
	s.looking().deskOps(h)
	s.looking().fileOps(h)
	s.textOps(h)
	s.looking().surveyOps(h)
	s.looking().adoptOps(h)
	s.looking().updateOps(h)
	s.looking().compareOps(h)
	s.looking().rhythmOps(h)
	s.looking().narrowingOps(h)
	s.following().feedOps(h)
	s.following().scheduleOps(h)
	s.several().groupOps(h)
	s.packers().packOps(h)
	s.lessons().lessonOps(h)
	s.keeping().stockroomOps(h)
	s.accessOps(h)
	s.changing().checkOps(h)
	s.describePlain(h.OpenAPI())
	return h.OpenAPI()
}

// Document gives the OpenAPI document without serving anything.
func Document(version string) ([]byte, error) {
	e := echo.New()
	s := &Server{Version: version}
	return json.MarshalIndent(s.describe(&adapter{Handler: e, group: e.Group(api.Prefix)}), "", "  ")
}

// logged writes one line per call, at debug level for the frequent ones.
func (s gate) logged(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		begun := s.Now()
		err := next(c)
		level := slog.LevelInfo
		if c.Request().Method == http.MethodGet {
			level = slog.LevelDebug
		}
		status := 0
		if r, e := echo.UnwrapResponse(c.Response()); e == nil {
			status = r.Status
		}
		s.Log.Log(c.Request().Context(), level, "call", "method", c.Request().Method, "path", shownPath(c.Request().URL.Path),
			"status", status, "actor", actorOf(c.Request().Context()), "ms", s.Now().Sub(begun).Milliseconds())
		return err
	}
}

// shownPath is a path as the log has it: whoever knows an unlisted address may read what is there.
func shownPath(path string) string {
	for _, unlisted := range []string{"/pack/", "/notices/"} {
		if rest, ok := strings.CutPrefix(path, unlisted); ok {
			if _, more, ok := strings.Cut(rest, "/"); ok {
				return unlisted + "…/" + more
			}
			return unlisted + "…"
		}
	}
	return path
}

// plainRoutes are the calls whose bodies are not JSON.
func (s *Server) plainRoutes(g *echo.Group, doc *huma.OpenAPI) {
	g.POST("/archives", s.streaming().stage)
	g.POST("/assets", s.streaming().keepAsset)
	g.GET("/archives/:archive/bytes", s.streaming().archive)
	g.GET("/servers/:server/bundle", s.streaming().support)
	g.GET("/servers/:server/content", s.streaming().content)
	g.GET("/jobs/:id/events", s.streaming().follow)
	g.GET("/changes", s.streaming().changed)
	g.GET("/openapi.json", func(c *echo.Context) error { return c.JSONPretty(http.StatusOK, doc, "  ") })
}

// op describes an operation in one line.
func op(method, path, id, summary string, tags ...string) huma.Operation {
	o := huma.Operation{OperationID: id, Method: method, Path: path, Summary: summary, Tags: tags, MaxBodyBytes: maxJSON}
	if method == http.MethodPost {
		o.Parameters = []*huma.Param{{Name: "Idempotency-Key", In: "header", Description: "The same key gives the first answer again", Schema: &huma.Schema{Type: "string"}}}
	}
	return o
}

// body is an answer with a body.
type body[T any] struct{ Body T }

// accepted is an answer with status 202.
type accepted struct {
	Status int
	Body   api.Job
}

// done is an answer without a body.
type done struct{}

func drain(r io.ReadCloser) { _, _ = io.Copy(io.Discard, io.LimitReader(r, 1<<20)) }

// What the server does, by subject.
type (
	// gate lets calls in, or not.
	gate struct{ *Server }
	// streams are the calls whose bodies are not JSON.
	streams struct{ *Server }
	// changing are the operations about drafts and runs.
	changing struct{ *Server }
	looking  struct{ *Server }
	// lessons are those about servers whose rulebooks grow.
	lessons struct{ *Server }
	// following are those about feeds and schedules.
	following struct{ *Server }
	// keeping are those about what the service itself keeps.
	keeping struct{ *Server }
	// jobbing are those about jobs, and how work becomes one.
	jobbing struct{ *Server }
	// controlling are those about running servers.
	controlling struct{ *Server }
)

func (s *Server) gate() gate               { return gate{s} }
func (s *Server) streaming() streams       { return streams{s} }
func (s *Server) changing() changing       { return changing{s} }
func (s *Server) looking() looking         { return looking{s} }
func (s *Server) lessons() lessons         { return lessons{s} }
func (s *Server) keeping() keeping         { return keeping{s} }
func (s *Server) following() following     { return following{s} }
func (s *Server) jobs() jobbing            { return jobbing{s} }
func (s *Server) controlling() controlling { return controlling{s} }
