package httpapi

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	atom "github.com/gorilla/feeds"
	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	"restlesscrate/internal/model"
	"restlesscrate/internal/service/notices"
	"restlesscrate/internal/service/requests"
)

// scheduleOps are about what is done by itself, and where its results are told.
func (s following) scheduleOps(h huma.API) {
	huma.Register(h, op(http.MethodGet, "/schedules", "list-schedules", "What is done on servers by itself", "schedules"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.Schedule]], error) {
		list, err := s.Schedules.List(ctx)
		return &body[api.Page[api.Schedule]]{page(list, -1, func(c model.Schedule) int64 { return c.ID }, wireSchedule)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/schedules", "add-schedule", "Have something done on a server by itself", "schedules"), func(ctx context.Context, in *struct{ Body api.NewSchedule }) (*body[api.Schedule], error) {
		n := in.Body
		var ask requests.Ask
		if n.Deploy != nil {
			var err error
			if ask, err = unwireAsk(*n.Deploy); err != nil {
				return nil, s.fail(ctx, err)
			}
		}
		c := model.Schedule{Name: n.Name, Server: n.Server, Does: n.Does, Cron: n.Cron, Zone: n.Zone, Window: time.Duration(n.Window) * time.Second, Empty: n.Empty, Actor: actorOf(ctx)}
		if c.Zone == "" {
			c.Zone = "UTC"
		}
		for _, w := range n.Warnings {
			c.Warnings = append(c.Warnings, model.Warning{Before: time.Duration(w.Before) * time.Second, Line: w.Line})
		}
		var once time.Time
		if n.Once != nil {
			once = n.Once.UTC()
		}
		c, err := s.Schedules.Add(ctx, c, ask, once)
		return &body[api.Schedule]{wireSchedule(c)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodGet, "/schedules/{schedule}", "get-schedule", "A schedule with what came of it", "schedules"), func(ctx context.Context, in *struct {
		Schedule string `path:"schedule"`
	}) (*body[api.Schedule], error) {
		c, runs, err := s.Schedules.Runs(ctx, in.Schedule)
		w := wireSchedule(c)
		for _, r := range runs {
			w.Runs = append(w.Runs, api.ScheduleRun{Due: r.Due, Began: when(r.Began), Ended: when(r.Ended), State: r.State, Words: r.Words, Deployment: r.Deployment})
		}
		return &body[api.Schedule]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodDelete, "/schedules/{schedule}", "drop-schedule", "Have it done no more; what has begun goes on", "schedules"), func(ctx context.Context, in *struct {
		Schedule string `path:"schedule"`
	}) (*done, error) {
		return nil, s.fail(ctx, s.Schedules.Drop(ctx, in.Schedule))
	})
	huma.Register(h, op(http.MethodGet, "/notices", "list-notices", "Where results are told", "schedules"), func(ctx context.Context, _ *struct{}) (*body[api.Page[api.Notice]], error) {
		list, err := s.Notices.List(ctx)
		return &body[api.Page[api.Notice]]{page(list, -1, func(n model.Notice) int64 { return n.ID }, wireNotice)}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/notices", "add-notice", "Have results told", "schedules"), func(ctx context.Context, in *struct{ Body api.NewNotice }) (*body[api.Notice], error) {
		b := in.Body
		n := model.Notice{Name: b.Name, Successes: b.Successes, Actor: actorOf(ctx), Way: model.NoticeWay{Webhook: b.Webhook, MailTo: b.MailTo, From: b.From, SMTP: b.SMTP, User: b.User, NoTLS: b.NoTLS, Feed: b.Feed}}
		secret, err := s.Notices.Add(ctx, n, b.Password)
		w := wireNotice(n)
		switch {
		case b.Feed:
			w.URL = s.BaseURL() + "/notices/" + secret
		default:
			w.Secret = secret
		}
		return &body[api.Notice]{w}, s.fail(ctx, err)
	})
	huma.Register(h, op(http.MethodPost, "/notices/{notice}/test", "test-notice", "Tell a made-up result there", "schedules"), func(ctx context.Context, in *struct {
		Notice string `path:"notice"`
	}) (*done, error) {
		return nil, s.fail(ctx, s.Notices.Test(ctx, in.Notice))
	})
	huma.Register(h, op(http.MethodDelete, "/notices/{notice}", "drop-notice", "Tell results there no more", "schedules"), func(ctx context.Context, in *struct {
		Notice string `path:"notice"`
	}) (*done, error) {
		return nil, s.fail(ctx, s.Notices.Drop(ctx, in.Notice))
	})
}

func wireSchedule(c model.Schedule) api.Schedule {
	w := api.Schedule{Name: c.Name, Server: c.Server, Does: c.Does, Cron: c.Cron, Zone: c.Zone, Window: int64(c.Window.Seconds()), Empty: c.Empty, By: c.Actor, Next: when(c.Next)}
	for _, x := range c.Warnings {
		w.Warnings = append(w.Warnings, api.EarlyLine{Before: int64(x.Before.Seconds()), Line: x.Line})
	}
	var ask requests.Ask
	if json.Unmarshal(c.Ask, &ask) == nil {
		w.What, w.OrUndo = ask.Crates, ask.OrUndo || ask.OrUndoEach
	}
	return w
}

func wireNotice(n model.Notice) api.Notice {
	w := api.Notice{Name: n.Name, Successes: n.Successes, By: n.Actor, ToldAt: when(n.ToldAt), Trouble: n.Trouble, To: "a feed"}
	switch {
	case n.Way.MailTo != "":
		w.To = "mail to " + n.Way.MailTo + " by " + n.Way.SMTP
	case n.Way.Webhook != "": // what stands behind the host may be a secret
		if u, err := url.Parse(n.Way.Webhook); err == nil {
			w.To = u.Scheme + "://" + u.Host + "/…"
		}
	}
	return w
}

// results is the feed of what came of schedules (Atom, RFC 4287). Who has its address may read it.
func (s following) results(c *echo.Context) error {
	ctx := c.Request().Context()
	n, ok, err := s.Notices.FeedOf(ctx, c.Param("secret"))
	if err != nil {
		return writeProblem(c, ProblemOf(err))
	}
	if !ok {
		return c.String(http.StatusNotFound, "There is nothing here.\n")
	}
	runs, list, err := s.Schedules.Results(ctx)
	if err != nil {
		return writeProblem(c, ProblemOf(err))
	}
	byID := map[int64]model.Schedule{}
	for _, x := range list {
		byID[x.ID] = x
	}
	f := &atom.Feed{Title: "Restless Crate", Link: &atom.Link{Href: s.BaseURL()}, Id: "urn:restless-crate:notices:" + n.Name, Updated: n.At}
	for _, r := range runs {
		x, there := byID[r.Schedule]
		if !there || r.State == model.RunRunning || !r.Bad() && !n.Successes {
			continue
		}
		res := notices.Result{Schedule: x.Name, Server: x.Server, Does: x.Does, State: r.State, Words: r.Words, Deployment: r.Deployment, Due: r.Due.UTC(), Ended: r.Ended.UTC()}
		f.Items = append(f.Items, &atom.Item{Title: notices.Title(res), Id: fmt.Sprintf("urn:restless-crate:run:%d", r.ID), Link: &atom.Link{Href: s.BaseURL()}, Description: strings.TrimSpace(notices.Text(res)), Updated: r.Ended, Created: r.Ended})
		if r.Ended.After(f.Updated) {
			f.Updated = r.Ended
		}
	}
	text, err := f.ToAtom()
	if err != nil {
		return err
	}
	h := c.Response().Header()
	h.Set("Content-Type", "application/atom+xml; charset=utf-8")
	h.Set("Cache-Control", "no-store")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("X-Robots-Tag", "noindex")
	return c.String(http.StatusOK, text)
}
