// Package assembly puts the parts of the service together: the use cases over records
// and stockroom, and the API over them. The program is built by it, and so are tests that
// need a whole service in one process.
package assembly

import (
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"log/slog"
	"net/netip"
	"path/filepath"
	"time"

	"github.com/alexedwards/scs/v2"

	"restlesscrate/internal/archive"
	"restlesscrate/internal/core/feed"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fetch"
	"restlesscrate/internal/helper"
	"restlesscrate/internal/httpapi"
	"restlesscrate/internal/jobs"
	"restlesscrate/internal/metrics"
	"restlesscrate/internal/model"
	"restlesscrate/internal/records"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/seal"
	"restlesscrate/internal/service/adopt"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/service/changes"
	"restlesscrate/internal/service/feeds"
	"restlesscrate/internal/service/hosts"
	"restlesscrate/internal/service/inbox"
	"restlesscrate/internal/service/insight"
	"restlesscrate/internal/service/learning"
	"restlesscrate/internal/service/mending"
	"restlesscrate/internal/service/narrowing"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/service/schedules"
	"restlesscrate/internal/service/survey"
	"restlesscrate/internal/service/texts"
	"restlesscrate/internal/service/tidying"
	"restlesscrate/internal/service/witness"
	"restlesscrate/internal/stockroom"
)

// Parts are what a service stands on. They stay their owner's: closing a service closes
// none of them.
type Parts struct {
	DB      *records.DB
	Room    *stockroom.Room
	Sealer  *seal.Sealer
	Data    string        // the folder in which all of it lies
	Helpers string        // the folder of helper programs
	Self    deploy.Holder // what this service is known by on hosts
	RideOut time.Duration // for how long a lost line is tried again
	Agent   string        // the socket of an SSH agent; empty for none

	MaxUpload     int64                           // bytes of the largest archive; 0: any
	Watch         []string                        // folders whose downloads are staged
	DownloadsFrom []netip.Prefix                  // networks that are not public and that files are fetched from all the same
	BaseURL       func() string                   // by which people reach the service
	Integrity     func(ctx context.Context) error // checks the whole database
	Console       fs.FS                           // nil for none
	Version       string
	Log           *slog.Logger
	Clock         schedules.Clock // of schedules; the machine's where nil
}

// surveysDue is how often it is looked whether a survey is due.
const surveysDue = 5 * time.Second

// feedsDue is how often it is looked whether a feed is due.
const feedsDue = 10 * time.Second

// Service is a whole service.
type Service struct {
	Catalog *catalog.Service
	Hosts   *hosts.Service
	Changes *changes.Service
	Jobs    *jobs.Engine
	API     *httpapi.Server

	stop context.CancelFunc
}

// NewCatalog makes the catalogue alone, which recovering a stockroom needs before the rest.
func NewCatalog(p Parts) *catalog.Service {
	return &catalog.Service{Records: p.DB, Room: p.Room, Limits: archive.DefaultLimits, Helpers: helper.Folder{Dir: p.Helpers}}
}

// New wires a service over a catalogue. Work that an earlier one left is told as broken off
// or taken up again.
func New(ctx context.Context, p Parts, cat *catalog.Service) (*Service, error) {
	work, stop := context.WithCancel(context.WithoutCancel(ctx))
	s := &Service{Catalog: cat, stop: stop}
	s.Jobs = jobs.New(work, p.DB, p.Log, time.Now, func(err error) any { return httpapi.ProblemOf(err) })
	s.Jobs.Around = p.Room.Use
	s.Hosts = &hosts.Service{Records: p.DB, Books: cat, Sealer: p.Sealer, Agent: p.Agent, Data: p.Data, Self: p.Self.Service, Now: time.Now}
	meter := metrics.New()
	s.Changes = &changes.Service{Records: p.DB, Catalog: cat, Hosts: hostsOf{s.Hosts}, Room: p.Room, RideOut: p.RideOut, Self: p.Self, Meter: meter, Now: time.Now, Log: p.Log}
	looks := &survey.Service{Records: p.DB, Hosts: s.Hosts, Books: cat, Bytes: s.Changes.Contents, HostNow: s.Changes.HostNow, HostOf: requests.HostOf, Now: time.Now}
	ins := &insight.Service{Records: p.DB, Books: cat}
	s.API = &httpapi.Server{Catalog: cat, Parts: &catalog.Parts{Room: p.Room, Now: time.Now}, Hosts: s.Hosts, Changes: s.Changes, Insight: ins, Surveys: looks, Mending: &mending.Service{Records: p.DB, Hosts: s.Hosts, Room: p.Room, Now: time.Now}, Narrowing: &narrowing.Service{Records: p.DB, Hosts: s.Hosts, Changes: s.Changes, Addons: ins}, Tidying: &tidying.Service{Records: p.DB, Room: p.Room, Now: time.Now}, Feeds: &feeds.Service{Records: p.DB, Web: &fetch.Getter{Allowed: p.DownloadsFrom, Most: feed.Longest}, Now: time.Now}, Learning: &learning.Service{Records: p.DB, Hosts: s.Hosts, Books: cat}, Adopting: &adopt.Service{Records: p.DB, Hosts: s.Hosts, Books: cat, Lists: requests.ListsOf}, Texts: &texts.Service{Records: p.DB, Hosts: s.Hosts, Books: cat, Bytes: s.Changes.Contents, Lists: requests.ListsOf}, Witness: &witness.Service{Records: p.DB, Catalog: cat, Hosts: hostsOf{s.Hosts}, Addons: ins}, Jobs: s.Jobs,
		Access: p.DB, Memory: memory{p.DB}, Sessions: sessions(p), Keyed: p.Sealer.Keyed, Counter: counter(p.DB), News: p.DB.News, MaxUpload: p.MaxUpload, Web: &fetch.Getter{Allowed: p.DownloadsFrom, Most: p.MaxUpload}, Ready: p.DB.Ping, Integrity: p.Integrity, Metrics: meter.Handler(), Console: p.Console, Log: p.Log,
		Now: time.Now, Version: p.Version, BaseURL: p.BaseURL}
	if err := s.takeUp(ctx, p); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	s.Changes.Started = func(d model.Deployment) {
		if yes, err := looks.AfterStart(work, d.ServerID); err != nil || !yes {
			return
		}
		if err := s.API.SurveyByItself(work, d.Server); err != nil {
			p.Log.Warn("no survey after the start", "server", d.Server, "err", err)
		}
	}
	go looks.Keep(work, surveysDue, func(server string) {
		if err := s.API.SurveyByItself(work, server); err != nil {
			p.Log.Warn("a survey that was due was not begun", "server", server, "err", err)
		}
	}, func(err error) { p.Log.Warn("it is not known which surveys are due", "err", err) })
	s.several(p, cat, ins)
	s.desk(p, cat, ins)
	s.timetable(work, p, cat, looks, ins)
	go s.API.Feeds.Keep(work, feedsDue, func(name string) {
		if err := s.API.CheckFeedByItself(work, name); err != nil {
			p.Log.Warn("a feed that was due was not looked at", "feed", name, "err", err)
		}
	}, func(err error) { p.Log.Warn("it is not known which feeds are due", "err", err) })
	if len(p.Watch) > 0 {
		in := &inbox.Service{Catalog: cat, Jobs: s.Jobs, Staged: s.API.Staged, Log: p.Log, State: filepath.Join(p.Data, "inbox.json")}
		if err := in.Keep(work, p.Watch); err != nil {
			return nil, errors.Join(err, s.Close())
		}
	}
	go s.API.Parts.Sweep(work, func(err error) { p.Log.Warn("unfinished uploads are not cleared yet", "err", err) })
	return s, nil
}

// takeUp sees to what an earlier service left.
func (s *Service) takeUp(ctx context.Context, p Parts) error {
	gone, err := json.Marshal(httpapi.ProblemOf(errors.New("the service stopped while this was under way")))
	if err != nil {
		return err
	}
	if err := p.DB.AbandonJobs(ctx, gone); err != nil {
		return err
	}
	if err := s.API.Tidying.Sweep(ctx); err != nil { // nothing needs them: they are tried again at the next tidying
		p.Log.Warn("files of the stockroom that nothing needs are not deleted yet", "err", err)
	}
	untidy, err := s.Changes.Recover(ctx)
	if err != nil {
		return err
	}
	for _, d := range untidy {
		_, err := s.Jobs.Start(ctx, jobs.What{Kind: "tidy", Subject: d.Name(), Actor: "service"}, func(ctx context.Context, tell progress.Tell) (any, error) {
			_, err := s.Changes.Tidy(ctx, d, tell)
			return nil, err
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// Halt tells the jobs to stop between two motions, and does not wait for them.
func (s *Service) Halt() { s.stop() }

// Stop stops the jobs between two motions and waits for them.
func (s *Service) Stop() {
	s.Halt()
	s.Jobs.Wait()
}

// Close stops the jobs and ends the connections to hosts.
func (s *Service) Close() error {
	s.Stop()
	return s.Hosts.Close()
}

// hostsOf fits the hosts to what changes asks of them.
type hostsOf struct{ *hosts.Service }

// Power implements changes.Hosts.
func (h hostsOf) Power(ctx context.Context, srv model.Server, host remote.Host, b *rulebook.Book) (changes.Powered, error) {
	return h.Service.Power(ctx, srv, host, b)
}

// memory fits the records to what the API remembers answers by.
type memory struct{ db *records.DB }

func (m memory) Remember(ctx context.Context, actor, key, request string) (httpapi.Remembered, bool, error) {
	a, fresh, err := m.db.Remember(ctx, actor, key, request)
	return httpapi.Remembered(a), fresh, err
}

func (m memory) Answered(ctx context.Context, actor, key string, status int, body []byte) error {
	return m.db.Answered(ctx, actor, key, status, body)
}

// sessions keeps sessions under keyed hashes of what browsers hold.
func sessions(p Parts) records.Sessions {
	return records.Sessions{DB: p.DB, Name: func(token string) string { return p.Sealer.Keyed(httpapi.SessionPurpose, httpapi.Hash(token)) },
		Actor: func(data []byte) string {
			_, values, err := (scs.GobCodec{}).Decode(data)
			if err != nil {
				return ""
			}
			actor, _ := values["actor"].(string)
			return actor
		}}
}

// counter gives a number that changes whenever the records do.
func counter(db *records.DB) func(ctx context.Context) (int64, error) {
	return func(ctx context.Context) (int64, error) {
		m, err := db.Identity(ctx)
		return m.Counter, err
	}
}
