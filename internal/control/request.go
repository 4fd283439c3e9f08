package control

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strings"

	"restlesscrate/internal/core/power"
)

// longestAnswer is the number of bytes of an answer that are kept.
const longestAnswer = 64 << 10

// request makes an HTTP request. why says how the answer is not the expected one.
func (f *filling) request(ctx context.Context, r *power.HTTPRequest) (ans Answer, why string, err error) {
	method := r.Method
	if method == "" {
		method = http.MethodGet
	}
	target, err := f.fill(r.URL, inURL)
	if err != nil {
		return ans, "", err
	}
	body, err := f.fill(r.Body, inJSON)
	if err != nil {
		return ans, "", err
	}
	req, err := http.NewRequestWithContext(ctx, method, target, strings.NewReader(body))
	if err != nil {
		return ans, "", fmt.Errorf("the request cannot be made: %w", hidden(err))
	}
	for name, value := range r.Headers {
		if value, err = f.fill(value, asIs); err == nil {
			err = oneLine(value)
		}
		if err != nil {
			return ans, "", fmt.Errorf("the header %s: %w", name, err)
		}
		req.Header.Set(name, value)
	}
	// What is sent is for that address alone, so no other one is followed to.
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := client.Do(req)
	if err != nil {
		return ans, "", hidden(err)
	}
	defer res.Body.Close()
	raw, err := io.ReadAll(io.LimitReader(res.Body, longestAnswer))
	if err != nil {
		return ans, "", fmt.Errorf("read the answer: %w", err)
	}
	ans = Answer{Text: string(raw), Code: res.StatusCode}
	switch {
	case res.StatusCode >= 300:
		why = fmt.Sprintf("was answered with %s", res.Status)
	case r.Expect != "" && !regexp.MustCompile(r.Expect).Match(raw):
		why = fmt.Sprintf("was answered otherwise than expected (%s)", r.Expect)
	}
	return ans, why, nil
}

// hidden leaves the address out of an error: a secret may be in it.
func hidden(err error) error {
	if u, ok := err.(*url.Error); ok {
		return u.Err
	}
	return err
}
