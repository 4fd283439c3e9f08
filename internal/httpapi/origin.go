package httpapi

import (
	"net"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"restlesscrate/internal/api"
	"restlesscrate/internal/core/finding"
)

// refusal is a problem of a call that is refused for where it comes from or how it is
// made.
func refusal(status int, code, detail, mend string, by ...finding.Remedy) *api.Problem {
	return &api.Problem{Type: "urn:restless:" + code, Title: http.StatusText(status), Status: status, Code: code, Exit: 1, Detail: detail, Mend: mend, Remedies: remedies(by)}
}

// isSafe tells whether a method changes nothing.
func isSafe(r *http.Request) bool { return r.Method == http.MethodGet || r.Method == http.MethodHead }

// withToken tells whether a call carries a token. Such a call carries no cookie's
// rights, so no page of another site can make a browser send it.
func withToken(r *http.Request) bool {
	return strings.HasPrefix(r.Header.Get("Authorization"), "Bearer ")
}

// ownHost lets calls through that are made to a name of the service's own: a page of
// another site whose name was made to lead here is refused. An address in figures
// cannot be made to lead elsewhere.
func (s gate) ownHost(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if r.URL.Path == "/healthz" || r.URL.Path == "/readyz" || s.isOwn(r.Host) {
			return next(c)
		}
		return writeProblem(c, refusal(http.StatusMisdirectedRequest, "other-host", "this service does not answer to that name",
			"Start the service with the address by which people reach it.", finding.StartService.With("public-url")))
	}
}

func (s gate) isOwn(hostport string) bool {
	host := hostport
	if h, _, err := net.SplitHostPort(hostport); err == nil {
		host = h
	}
	host = strings.Trim(host, "[]")
	if strings.EqualFold(host, "localhost") || net.ParseIP(host) != nil {
		return true
	}
	public, err := url.Parse(s.BaseURL())
	return err == nil && strings.EqualFold(host, public.Hostname())
}

// sameSite refuses acts that another site's page makes with this browser's session. A
// browser says where a call comes from by Sec-Fetch-Site or else by Origin; an act
// with a session and neither is refused.
func (s gate) sameSite(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if isSafe(r) || withToken(r) || s.fromHere(r) {
			return next(c)
		}
		drain(r.Body)
		return writeProblem(c, refusal(http.StatusForbidden, "other-site", "this call came from another site's page and was refused",
			"Behind a proxy, start the service with the address by which browsers reach it.", finding.StartService.With("public-url")))
	}
}

func (s gate) fromHere(r *http.Request) bool {
	if site := r.Header.Get("Sec-Fetch-Site"); site != "" {
		return site == "same-origin" || site == "none"
	}
	if origin := r.Header.Get("Origin"); origin != "" {
		from, err := url.Parse(origin)
		if err != nil || from.Host == "" {
			return false
		}
		public, err := url.Parse(s.BaseURL())
		return strings.EqualFold(from.Host, r.Host) || err == nil && strings.EqualFold(from.Host, public.Host) && from.Scheme == public.Scheme
	}
	_, err := r.Cookie(s.sessions.Cookie.Name)
	return err != nil // nobody's session is used
}

// typed refuses acts whose body is not what a call takes: a form of another site's
// page can send neither JSON nor plain bytes.
func typed(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if isSafe(r) || r.ContentLength == 0 && len(r.TransferEncoding) == 0 {
			return next(c)
		}
		want := "application/json"
		if plainBody(r) {
			want = "application/octet-stream"
		}
		if mediaType(r) != want {
			drain(r.Body)
			return writeProblem(c, refusal(http.StatusUnsupportedMediaType, "bad-content-type", "this call takes a body of type "+want, ""))
		}
		return next(c)
	}
}

// plainBody tells whether a call takes the bytes of a file as its body.
func plainBody(r *http.Request) bool {
	return r.URL.Path == archivesPath || r.URL.Path == assetsPath
}

func mediaType(r *http.Request) string {
	t, _, _ := strings.Cut(r.Header.Get("Content-Type"), ";")
	return strings.ToLower(strings.TrimSpace(t))
}

func isJSON(r *http.Request) bool { return mediaType(r) == "application/json" }
