package httpapi

import (
	"context"
	"crypto/tls"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"
)

// exchange is one request as the API description package wants to see it, on
// top of Echo v5.
type exchange struct {
	op     *huma.Operation
	c      *echo.Context
	status int
}

var _ huma.Context = (*exchange)(nil)

func (x *exchange) Operation() *huma.Operation { return x.op }
func (x *exchange) Context() context.Context   { return x.c.Request().Context() }
func (x *exchange) Method() string             { return x.c.Request().Method }
func (x *exchange) Host() string               { return x.c.Request().Host }
func (x *exchange) RemoteAddr() string         { return x.c.Request().RemoteAddr }
func (x *exchange) URL() url.URL               { return *x.c.Request().URL }
func (x *exchange) Query(name string) string   { return x.c.QueryParam(name) }
func (x *exchange) Header(name string) string  { return x.c.Request().Header.Get(name) }
func (x *exchange) BodyReader() io.Reader      { return x.c.Request().Body }
func (x *exchange) TLS() *tls.ConnectionState  { return x.c.Request().TLS }
func (x *exchange) Status() int                { return x.status }
func (x *exchange) BodyWriter() io.Writer      { return x.c.Response() }

// Param undoes the escaping that a crate's name in a path needs.
func (x *exchange) Param(name string) string {
	raw := x.c.Param(name)
	if plain, err := url.PathUnescape(raw); err == nil {
		return plain
	}
	return raw
}

func (x *exchange) EachHeader(each func(name, value string)) {
	for name, values := range x.c.Request().Header {
		for _, v := range values {
			each(name, v)
		}
	}
}

// maxForm is how much of a form is held in memory, in bytes. No call uses one.
const maxForm = 8 << 10

func (x *exchange) GetMultipartForm() (*multipart.Form, error) {
	err := x.c.Request().ParseMultipartForm(maxForm)
	return x.c.Request().MultipartForm, err
}

// SetReadDeadline does nothing. A deadline that outlives the body ends the call's
// context while it is still being worked on; bodies have theirs from [Server.limited],
// which takes it away once they are read.
func (x *exchange) SetReadDeadline(time.Time) error { return nil }

func (x *exchange) SetStatus(code int) {
	x.status = code
	x.c.Response().WriteHeader(code)
}

func (x *exchange) AppendHeader(name, value string) { x.c.Response().Header().Add(name, value) }
func (x *exchange) SetHeader(name, value string)    { x.c.Response().Header().Set(name, value) }

func (x *exchange) Version() huma.ProtoVersion {
	r := x.c.Request()
	return huma.ProtoVersion{Proto: r.Proto, ProtoMajor: r.ProtoMajor, ProtoMinor: r.ProtoMinor}
}

// adapter registers operations as Echo routes below a group.
type adapter struct {
	http.Handler
	group *echo.Group
}

// Handle implements huma.Adapter.
func (a *adapter) Handle(op *huma.Operation, handler func(huma.Context)) {
	path := strings.NewReplacer("{", ":", "}", "").Replace(op.Path)
	a.group.Add(op.Method, path, func(c *echo.Context) error {
		handler(&exchange{op: op, c: c})
		return nil
	})
}
