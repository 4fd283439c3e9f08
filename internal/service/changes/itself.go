package changes

import (
	"context"
	"errors"
	"strings"

	"restlesscrate/internal/core/draft"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/core/power"
	"restlesscrate/internal/core/progress"
	"restlesscrate/internal/deploy"
	"restlesscrate/internal/fault"
	"restlesscrate/internal/model"
	"restlesscrate/internal/remote"
	"restlesscrate/internal/service/requests"
	"restlesscrate/internal/service/verify"
)

// notLoadedError is why a deployment takes itself back.
type notLoadedError struct{ addons []string }

func (n *notLoadedError) Error() string {
	return "the roll was called: " + strings.Join(n.addons, ", ") + " did not load"
}

// broken is what becomes of a run that broke off: it waits for a person, or takes
// itself back where that was asked for, or is halted.
func (s driver) broken(ctx context.Context, d model.Deployment, run *deploy.Run, cause error, tell progress.Tell) (model.Deployment, error) {
	var w *deploy.WaitingError
	if errors.As(cause, &w) {
		return s.wait(ctx, d, run, w)
	}
	if !orUndo(d) || !undoes(cause) {
		return s.halt(ctx, d, run, cause)
	}
	if _, err := s.halt(ctx, d, run, cause); err == nil || !isHalted(err) {
		return d, err
	}
	tell.Note(cause.Error() + "; it is taken back, as you asked")
	srv, err := s.Records.ServerByID(ctx, d.ServerID)
	if err != nil {
		return d, err
	}
	d.Notes = append(d.Notes, run.Notes()...)
	d.Notes = append(d.Notes, "taken back by itself: "+cause.Error())
	if err := s.Records.Advance(ctx, d.ID, model.Undoing, model.Halted); err != nil {
		return d, err
	}
	run.Data = true
	undone, err := s.takeBack(ctx, srv, run, d, tell)
	if err != nil || undone.State == model.Waiting { // for what only a person can take back
		return undone, err
	}
	f := fault.New(fault.Failed, "taken-back", "%s was taken back: %v", d.Name(), cause)
	f.Deployment = d.Name()
	return undone, f.WithMend("Everything is as before. The deployment tells what was found.").By(finding.ShowDeployment.On(d.Name()))
}

// undoes tells whether a cause has a deployment taken back that asked for it: its server did
// not come up, or did not take what was deployed. Who stops a run, and a line that is lost,
// leave it to a person.
func undoes(cause error) bool {
	var stopped *deploy.StoppedError
	if errors.As(cause, &stopped) || errors.Is(cause, remote.ErrLine) || errors.Is(cause, context.Canceled) {
		return false
	}
	var late *deploy.LateError
	var fell *deploy.FellError
	var missing *notLoadedError
	var unseen *verify.UnseenError
	var at *deploy.MotionError
	switch {
	case errors.As(cause, &late):
		return late.Wait == draft.UntilReady
	case errors.As(cause, &fell), errors.As(cause, &missing), errors.As(cause, &unseen):
		return true
	case errors.As(cause, &at): // what starts or reloads the server refused
		return at.Motion.Do == power.Start || at.Motion.Do == power.Reload
	}
	return false
}

func isHalted(err error) bool {
	var f *fault.Error
	return errors.As(err, &f) && f.Code == "halted"
}

// orUndo is kept with a run that takes itself back where the server does not come
// up, or what was deployed does not load.
func orUndo(d model.Deployment) bool {
	ask := asked(d)
	return ask.OrUndo || ask.OrUndoEach
}

// asked is what a person asked for of a deployment, as far as it can be read.
func asked(d model.Deployment) requests.Ask {
	ask, err := requests.Read(d.Ask)
	if err != nil {
		return requests.Ask{}
	}
	return ask
}
