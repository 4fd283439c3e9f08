package httpapi

import (
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"restlesscrate/internal/api"
)

// packedFrom is how long an answer is before it is worth packing, in bytes.
const packedFrom = 1 << 10

// packed has answers to browsers come packed with gzip: the console may be reached over a slow line.
// Programs on the same machine are spared it. What comes as a stream, what is packed already and what
// holds a secret goes as it is. It stands behind the gates, which look at the status of an answer:
// what is packed has none before it is whole.
func packed() echo.MiddlewareFunc {
	return middleware.GzipWithConfig(middleware.GzipConfig{Level: 5, MinLength: packedFrom, Skipper: func(c *echo.Context) bool {
		r := c.Request()
		if r.Method != http.MethodGet {
			return true
		}
		call, isCall := strings.CutPrefix(r.URL.Path, api.Prefix)
		if !isCall {
			return !strings.HasPrefix(r.URL.Path, "/assets/") && r.URL.Path != "/" || strings.HasSuffix(r.URL.Path, ".woff2")
		}
		if r.Header.Get("Authorization") != "" || r.URL.Query().Has("reveal") && r.URL.Query().Get("reveal") != "false" {
			return true
		}
		for _, end := range []string{"/events", "/changes", "/content", "/bytes", "/bundle", "/packlist"} {
			if strings.HasSuffix(call, end) {
				return true
			}
		}
		return false
	}})
}
