// Package client asks the service.
//
//	c := client.New("http://127.0.0.1:8417", token)
//	page, err := c.Contributions(ctx, client.Filter{State: "waiting"})
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"endroit/service/wire"
)

// ErrUnreachable says that no service answered, also after trying again.
var ErrUnreachable = errors.New("the service cannot be reached")

// Client is safe for concurrent use.
type Client struct {
	base  string
	token string
	http  *http.Client
	// Tries is how often a call that may be repeated is made, Pause how long to
	// wait before the second time; it doubles from then on.
	Tries int
	Pause time.Duration
}

// New makes a client for the service at base, such as http://127.0.0.1:8417.
func New(base, token string) (*Client, error) {
	u, err := url.Parse(base)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, fmt.Errorf("the service's address %q is not a URL such as http://127.0.0.1:8417", base)
	}
	return &Client{
		base:  strings.TrimSuffix(base, "/"),
		token: token,
		http:  &http.Client{Timeout: 2 * time.Minute, CheckRedirect: stay},
		Tries: 4,
		Pause: 250 * time.Millisecond,
	}, nil
}

// stay follows no redirect: the token is for the service at this address and port, and
// for nobody whom an answer names.
func stay(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }

// maxAnswer bounds what is read of an answer.
const maxAnswer = 16 << 20

type request struct {
	method, path string
	query        url.Values
	header       map[string]string
	body         []byte
	repeat       bool // may be made again if it is not known whether it arrived
}

// isBrief reports whether a status is of a failure that may be over soon.
func isBrief(status int) bool {
	return status == http.StatusBadGateway || status == http.StatusServiceUnavailable || status == http.StatusGatewayTimeout
}

// do makes the call, again where that is safe, and returns the answer's body.
// An answer that is no success is a *wire.Problem.
func (c *Client) do(ctx context.Context, q request) (*http.Response, []byte, error) {
	pause := c.Pause
	for try := 1; ; try++ {
		response, body, err := c.once(ctx, q)
		retry := q.repeat && try < c.Tries && ctx.Err() == nil
		switch {
		case err != nil && response != nil:
			return nil, nil, err // the response itself is bad; a retry would get the same one
		case err != nil && !retry:
			return nil, nil, fmt.Errorf(
				"%w at %s: %w; is it running (endroit serve), and is the address right (endroit login --service)?",
				ErrUnreachable, c.base, err,
			)
		case err == nil && !(retry && isBrief(response.StatusCode)):
			if to := response.Header.Get("Location"); to != "" && response.StatusCode >= 300 && response.StatusCode < 400 {
				return nil, nil, fmt.Errorf(
					"%s redirects to %s; if that is an Endroit service, use its address (--service)", c.base,
					clipped(to),
				)
			}
			if response.StatusCode >= 400 {
				return response, nil, problemOf(response, body)
			}
			return response, body, nil
		}
		select {
		case <-ctx.Done():
			return nil, nil, ctx.Err()
		case <-time.After(pause):
			pause *= 2
		}
	}
}

func (c *Client) once(ctx context.Context, q request) (*http.Response, []byte, error) {
	target := c.base + q.path
	if len(q.query) > 0 {
		target += "?" + q.query.Encode()
	}
	r, err := http.NewRequestWithContext(ctx, q.method, target, bytes.NewReader(q.body))
	if err != nil {
		return nil, nil, err
	}
	if q.body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	if c.token != "" {
		r.Header.Set("Authorization", "Bearer "+c.token)
	}
	for k, v := range q.header {
		r.Header.Set(k, v)
	}
	response, err := c.http.Do(r)
	if err != nil {
		return nil, nil, err
	}
	defer response.Body.Close()
	body, err := io.ReadAll(io.LimitReader(response.Body, maxAnswer+1))
	switch {
	case err != nil:
		return nil, nil, err
	case len(body) > maxAnswer:
		return response, nil, fmt.Errorf("the answer is larger than %d bytes", maxAnswer)
	}
	return response, body, nil
}

// clipped is an address to be shown, which a stranger chose.
func clipped(to string) string {
	if u, err := url.Parse(to); err == nil && u.Host != "" && len(u.Host) < 300 {
		return strconv.QuoteToASCII(u.Scheme + "://" + u.Host)
	}
	return "another address"
}

func problemOf(response *http.Response, body []byte) error {
	p := &wire.Problem{}
	if !strings.HasPrefix(response.Header.Get("Content-Type"), "application/problem+json") || json.Unmarshal(body, p) != nil {
		p = &wire.Problem{
			Title: http.StatusText(response.StatusCode),
			Detail: fmt.Sprintf(
				"the service answered %s without a reason; is this the address of an Endroit service?",
				response.Status,
			),
		}
	}
	p.Status = response.StatusCode
	return p
}

func call[T any](ctx context.Context, c *Client, q request) (T, error) {
	var out T
	_, body, err := c.do(ctx, q)
	if err != nil {
		return out, err
	}
	if len(body) == 0 {
		return out, nil
	}
	if err := json.Unmarshal(body, &out); err != nil {
		return out, fmt.Errorf("%s sent an answer that this version does not understand: %w", c.base, err)
	}
	return out, nil
}

// Login trades a name and password for a token.
func (c *Client) Login(ctx context.Context, name, password string) (wire.Token, error) {
	body, err := json.Marshal(wire.Credentials{Name: name, Password: password})
	if err != nil {
		return wire.Token{}, err
	}
	return call[wire.Token](ctx, c, request{method: "POST", path: "/api/v1/tokens", body: body})
}

// Logout makes the client's token invalid.
func (c *Client) Logout(ctx context.Context) error {
	_, err := call[struct{}](ctx, c, request{method: "DELETE", path: "/api/v1/tokens/current", repeat: true})
	return err
}

// WhoAmI says whose token this is.
func (c *Client) WhoAmI(ctx context.Context) (wire.Session, error) {
	return call[wire.Session](ctx, c, request{method: "GET", path: "/api/v1/session", repeat: true})
}

// Account is one's own account, with its sign-ins.
func (c *Client) Account(ctx context.Context) (wire.Account, error) {
	return call[wire.Account](ctx, c, request{method: http.MethodGet, path: "/api/v1/account", repeat: true})
}

// EndSignIn signs a token or a browser of one's own out.
func (c *Client) EndSignIn(ctx context.Context, id string) error {
	_, _, err := c.do(ctx, request{method: http.MethodDelete, path: "/api/v1/account/sign-ins/" + url.PathEscape(id)})
	return err
}

// ChangePassword gives one's own account another password, and ends its other sign-ins.
func (c *Client) ChangePassword(ctx context.Context, present, next string) error {
	body, err := json.Marshal(wire.PasswordChange{Password: present, New: next})
	if err != nil {
		return err
	}
	_, _, err = c.do(ctx, request{method: http.MethodPost, path: "/api/v1/account/password", body: body})
	return err
}

// Submit sends a contribution. Sent again with the same key it is stored once.
func (c *Client) Submit(ctx context.Context, key string, body []byte) (wire.Submitted, error) {
	return call[wire.Submitted](ctx, c, request{
		method: "POST",
		path:   "/api/v1/contributions",
		body:   body,
		repeat: true,
		header: map[string]string{"Idempotency-Key": key},
	})
}

// Filter narrows a list; Cursor continues it.
type Filter struct {
	State  string
	Mine   bool
	Cursor string
	Limit  int
}

// Contributions lists one page.
func (c *Client) Contributions(ctx context.Context, f Filter) (wire.Page[wire.ContributionListed], error) {
	q := url.Values{}
	for k, v := range map[string]string{"state": f.State, "cursor": f.Cursor} {
		if v != "" {
			q.Set(k, v)
		}
	}
	if f.Mine {
		q.Set("mine", "true")
	}
	if f.Limit > 0 {
		q.Set("limit", strconv.Itoa(f.Limit))
	}
	return call[wire.Page[wire.ContributionListed]](
		ctx, c, request{method: "GET", path: "/api/v1/contributions", query: q, repeat: true},
	)
}

func contributionPath(number int64) string {
	return "/api/v1/contributions/" + strconv.FormatInt(number, 10)
}

// Contribution shows one whole.
func (c *Client) Contribution(ctx context.Context, number int64) (wire.ContributionShown, error) {
	return call[wire.ContributionShown](ctx, c, request{method: "GET", path: contributionPath(number), repeat: true})
}

// Accept adds a contribution to the manifest.
func (c *Client) Accept(ctx context.Context, number int64) (wire.Decided, error) {
	return call[wire.Decided](ctx, c, request{method: "POST", path: contributionPath(number) + "/accept"})
}

// Return gives a contribution back with a reason.
func (c *Client) Return(ctx context.Context, number int64, because string) (wire.Decided, error) {
	body, err := json.Marshal(map[string]string{"because": because})
	if err != nil {
		return wire.Decided{}, err
	}
	return call[wire.Decided](ctx, c, request{method: "POST", path: contributionPath(number) + "/return", body: body})
}

// Titles searches titles.
func (c *Client) Titles(ctx context.Context, text, cursor string) (wire.Page[wire.TitleFound], error) {
	return call[wire.Page[wire.TitleFound]](
		ctx, c,
		request{method: "GET", path: "/api/v1/titles", query: url.Values{"q": {text}, "cursor": {cursor}}, repeat: true},
	)
}

// Launchers lists launchers whose sheets are in the manifest.
func (c *Client) Launchers(ctx context.Context, cursor string) (wire.Page[wire.LauncherListed], error) {
	return call[wire.Page[wire.LauncherListed]](
		ctx, c,
		request{method: "GET", path: "/api/v1/launchers", query: url.Values{"cursor": {cursor}}, repeat: true},
	)
}

// Launcher shows one with its sheet.
func (c *Client) Launcher(ctx context.Context, id string) (wire.LauncherShown, error) {
	return call[wire.LauncherShown](ctx, c, request{method: "GET", path: "/api/v1/launchers/" + url.PathEscape(id), repeat: true})
}

// Title shows one title; what was merged is shown as what it was merged into.
func (c *Client) Title(ctx context.Context, id string) (wire.Title, error) {
	return call[wire.Title](ctx, c, request{method: "GET", path: "/api/v1/titles/" + url.PathEscape(id), repeat: true})
}

// History lists what changed a title, the newest first.
func (c *Client) History(ctx context.Context, id, cursor string) (wire.Page[wire.HistoryEntry], error) {
	return call[wire.Page[wire.HistoryEntry]](ctx, c, request{
		method: "GET", path: "/api/v1/titles/" + url.PathEscape(id) + "/history", query: url.Values{"cursor": {cursor}}, repeat: true,
	})
}

// CompareTitle tells what differs between the states that two revisions have of a title.
func (c *Client) CompareTitle(ctx context.Context, id string, from, to int) (wire.Comparison, error) {
	q := url.Values{"by": {"revision"}, "from": {strconv.Itoa(from)}, "to": {strconv.Itoa(to)}}
	return call[wire.Comparison](ctx, c, request{
		method: "GET", path: "/api/v1/titles/" + url.PathEscape(id) + "/comparison", query: q, repeat: true,
	})
}
