package assembly

import (
	"context"

	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/core/rulebook"
	"restlesscrate/internal/fetch"
	"restlesscrate/internal/service/catalog"
	"restlesscrate/internal/service/insight"
	"restlesscrate/internal/service/notices"
	"restlesscrate/internal/service/schedules"
	"restlesscrate/internal/service/survey"
)

// timetable wires what is done by itself, and begins to do it.
func (s *Service) timetable(work context.Context, p Parts, cat *catalog.Service, looks *survey.Service, ins *insight.Service) {
	web := &fetch.Getter{Allowed: p.DownloadsFrom}
	s.API.Notices = &notices.Service{Records: p.DB, Seal: p.Sealer.Seal, Unseal: p.Sealer.Unseal, Keyed: p.Sealer.Keyed, Client: web.Client(), Log: p.Log}
	w := &schedules.Worker{Changes: s.Changes,
		Newest: func(ctx context.Context, server string) (crates []string, err error) {
			list, err := ins.Updates(ctx, server)
			for _, u := range list {
				if u.Available != "" && !u.Addon.Hold.Held {
					crates = append(crates, u.Crate.String())
				}
			}
			return crates, err
		},
		Survey: func(ctx context.Context, server, actor string, tell progress.Tell) (int, error) {
			found, err := looks.Look(ctx, server, false, actor, tell)
			return found.Counts.Changed + found.Counts.Missing + found.Counts.Unknown, err
		},
		Act: func(ctx context.Context, server string, act power.Act, subject string, tell func(string)) (string, error) {
			if act == power.Restart {
				done, err := s.Hosts.ActAndWait(ctx, server, act, tell)
				return done.Text, err
			}
			ans, err := s.Hosts.Act(ctx, server, act, subject)
			return ans.Text, err
		},
		Book: func(ctx context.Context, server string) (*rulebook.Book, error) {
			srv, err := s.Hosts.Find(ctx, server)
			if err != nil {
				return nil, err
			}
			b, _, err := cat.Book(ctx, srv.Rulebook)
			return b, err
		}}
	s.API.Schedules = &schedules.Service{Records: p.DB, Work: w, Jobs: s.Jobs, Clock: p.clock(), Find: s.Hosts.Find, Tell: s.API.Notices.Tell, Log: p.Log}
	go s.API.Schedules.Keep(work)
}

func (p Parts) clock() schedules.Clock {
	if p.Clock != nil {
		return p.Clock
	}
	return schedules.RealClock{}
}
