package httpapi

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/finding"
	"restlesscrate/internal/fault"
)

// The HTTP status and the exit code of each kind of fault.
var kinds = map[fault.Kind]struct{ status, exit int }{
	fault.Failed:   {http.StatusBadGateway, 1},
	fault.Usage:    {http.StatusUnprocessableEntity, 2},
	fault.Unknown:  {http.StatusNotFound, 1},
	fault.Conflict: {http.StatusConflict, 1},
	fault.Blocked:  {http.StatusConflict, 3},
	fault.Halted:   {http.StatusConflict, 4},
	fault.Denied:   {http.StatusUnauthorized, 1},
}

// ProblemOf turns any error into a problem document.
func ProblemOf(err error) *api.Problem {
	f := fault.As(err)
	k := kinds[f.Kind]
	p := &api.Problem{Type: "urn:restless:" + f.Code, Title: http.StatusText(k.status), Status: k.status, Detail: f.Error(), Code: f.Code,
		Exit: k.exit, Mend: f.Mend, Remedies: remedies(f.Remedies), Deployment: f.Deployment, Findings: findings(f.Findings)}
	if f.Code == "failed" {
		p.Status, p.Title = http.StatusInternalServerError, http.StatusText(http.StatusInternalServerError)
	}
	return p
}

// findingsOrNone is findings for a field that is left out where there is none.
func findingsOrNone(list []finding.Finding) []api.Finding {
	if len(list) == 0 {
		return nil
	}
	return findings(list)
}

func findings(list []finding.Finding) []api.Finding {
	out := make([]api.Finding, len(list))
	for i, f := range list {
		out[i] = api.Finding{Level: string(f.Level), Code: f.Code, Path: string(f.Path), What: f.What, Mend: f.Mend, Final: f.Final, Remedies: remedies(f.Remedies), Sides: (*api.Sides)(f.Sides)}
	}
	return out
}

func remedies(list []finding.Remedy) (out []api.Remedy) {
	for _, r := range list {
		out = append(out, api.Remedy{Do: string(r.Do), On: r.On, With: r.With})
	}
	return out
}

// statusError lets the API description package write a problem.
type statusError struct{ *api.Problem }

func (e statusError) GetStatus() int { return e.Status }

// ContentType implements the package's hook for problem documents.
func (e statusError) ContentType(string) string { return "application/problem+json" }

// MarshalJSON writes the problem itself.
func (e statusError) MarshalJSON() ([]byte, error) { return json.Marshal(e.Problem) }

// fail is what every operation returns for an error.
func (s *Server) fail(ctx context.Context, err error) error {
	if err == nil {
		return nil
	}
	p := ProblemOf(err)
	switch {
	case p.Status != http.StatusInternalServerError:
	case ctx.Err() != nil:
		s.Log.InfoContext(ctx, "the caller did not wait for an answer", "err", err)
	default:
		s.Log.ErrorContext(ctx, "unexpected failure", "err", err)
	}
	return statusError{p}
}

// invalid turns the package's own validation errors into problems.
func invalid(status int, message string, errs ...error) huma.StatusError {
	p := &api.Problem{Type: "urn:restless:bad-request", Title: http.StatusText(status), Status: status, Detail: message, Code: "bad-request", Exit: 2}
	if status >= 500 {
		p.Code, p.Type, p.Exit = "failed", "urn:restless:failed", 1
	}
	for _, e := range errs {
		p.Detail += "; " + withoutValue(e)
	}
	return statusError{p}
}

// withoutValue says what is wrong with a part of a request, and where, but never what
// was sent there: it may be a password.
func withoutValue(err error) string {
	var d *huma.ErrorDetail
	if errors.As(err, &d) {
		return d.Location + ": " + d.Message
	}
	return "it cannot be read"
}

// tooLarge refuses an archive that is over the limit.
func tooLarge(limit int64) *api.Problem {
	return refusal(http.StatusRequestEntityTooLarge, "too-large", fmt.Sprintf("this service takes archives of at most %d bytes", limit), "The service can be started with another limit.", finding.StartService.With("max-upload"))
}

// writeProblem answers a request outside of the described operations.
func writeProblem(c *echo.Context, p *api.Problem) error {
	c.Response().Header().Set(echo.HeaderContentType, "application/problem+json")
	c.Response().WriteHeader(p.Status)
	return json.NewEncoder(c.Response()).Encode(p)
}

// handleError is Echo's last resort: routes that do not exist, and handlers
// that returned an error.
func handleError(log *slog.Logger) echo.HTTPErrorHandler {
	return func(c *echo.Context, err error) {
		if r, e := echo.UnwrapResponse(c.Response()); e == nil && r.Committed {
			return
		}
		p := ProblemOf(err)
		if code := echo.StatusCode(err); code != 0 {
			p.Status, p.Title, p.Code, p.Detail = code, http.StatusText(code), "no-such-call", "there is no such call: "+c.Request().Method+" "+c.Request().URL.Path
			if code != http.StatusNotFound && code != http.StatusMethodNotAllowed {
				p.Code, p.Detail = "bad-request", err.Error()
			}
			p.Type = "urn:restless:" + p.Code
		}
		if p.Status >= 500 {
			log.Error("request failed", "path", c.Request().URL.Path, "err", err)
		}
		if err := writeProblem(c, p); err != nil {
			log.Warn("answer not sent", "err", err)
		}
	}
}
