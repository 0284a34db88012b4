package client

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/service/wire"
)

// to makes a client for a server that answers like this.
func to(t *testing.T, answer http.HandlerFunc) *Client {
	t.Helper()
	s := httptest.NewServer(answer)
	t.Cleanup(s.Close)
	c, err := New(s.URL, "endroit_token")
	require.NoError(t, err)
	c.Pause = time.Millisecond
	return c
}

// dropped ends the connection without an answer.
func dropped(w http.ResponseWriter) {
	conn, _, _ := w.(http.Hijacker).Hijack()
	_ = conn.Close()
}

func TestIdempotentCallIsRetried(t *testing.T) {
	var tries atomic.Int32
	var keys []string
	c := to(t, func(w http.ResponseWriter, r *http.Request) {
		keys = append(keys, r.Header.Get("Idempotency-Key"))
		switch tries.Add(1) {
		case 1:
			_, _ = io.ReadAll(r.Body)
			dropped(w)
		case 2:
			w.WriteHeader(http.StatusServiceUnavailable)
		default:
			body, _ := io.ReadAll(r.Body)
			assert.Equal(t, `{"draft":1}`, string(body), "the whole body each time")
			_, _ = io.WriteString(w, `{"number":7,"again":true}`)
		}
	})
	sent, err := c.Submit(t.Context(), "key", []byte(`{"draft":1}`))
	require.NoError(t, err)
	assert.Equal(t, wire.Submitted{Number: 7, Again: true}, sent)
	assert.Equal(t, []string{"key", "key", "key"}, keys)
}

func TestADecisionIsNotRepeated(t *testing.T) {
	var tries atomic.Int32
	c := to(t, func(w http.ResponseWriter, _ *http.Request) { tries.Add(1); dropped(w) })
	_, err := c.Accept(t.Context(), 1)
	assert.ErrorIs(t, err, ErrUnreachable, "it is not known whether it arrived")
	assert.Equal(t, int32(1), tries.Load())
}

func TestRetriesEnd(t *testing.T) {
	var tries atomic.Int32
	c := to(t, func(w http.ResponseWriter, _ *http.Request) { tries.Add(1); dropped(w) })
	_, err := c.WhoAmI(t.Context())
	assert.ErrorIs(t, err, ErrUnreachable)
	assert.ErrorContains(t, err, "endroit serve")
	assert.Equal(t, int32(4), tries.Load())
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = c.WhoAmI(ctx)
	assert.ErrorIs(t, err, context.Canceled)
}

func TestAnswersOfOtherServers(t *testing.T) {
	for name, answer := range map[string]http.HandlerFunc{
		"a page": func(w http.ResponseWriter, _ *http.Request) { _, _ = io.WriteString(w, "<html>") },
		"an endless body": func(w http.ResponseWriter, _ *http.Request) {
			_, _ = io.WriteString(w, strings.Repeat("x", maxAnswer+10))
		},
		"a bare error": func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "no", http.StatusTeapot) },
	} {
		c := to(t, answer)
		c.Tries = 1
		_, err := c.WhoAmI(t.Context())
		assert.Error(t, err, name)
	}
}

func TestProblemsKeepTheirKind(t *testing.T) {
	c := to(t, func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "Bearer endroit_token", r.Header.Get("Authorization"))
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusConflict)
		_, _ = io.WriteString(w, `{"type":"`+wire.ProblemConflict+`","title":"Conflict","status":409,"detail":"it reaches","field":"draft","conflicts":[{"at":"a","title":"b"}]}`)
	})
	_, err := c.Accept(t.Context(), 1)
	var p *wire.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, wire.ProblemConflict, p.Type)
	assert.Equal(t, "draft: it reaches", p.Error())
	assert.Len(t, p.Conflicts, 1)
}

// Where an answer leads is not where the token goes.
func TestATokenStaysWithItsService(t *testing.T) {
	got := make(chan string, 10)
	other := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) { got <- r.Header.Get("Authorization") }))
	defer other.Close()
	for _, status := range []int{301, 302, 303, 307, 308} {
		first := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, other.URL+r.URL.Path, status)
		}))
		c, err := New(first.URL, "endroit_secret")
		require.NoError(t, err)
		_, err = c.Contributions(t.Context(), Filter{})
		require.ErrorContains(t, err, "redirects to \""+other.URL+"\"")
		first.Close()
	}
	assert.Empty(t, got)
}

func TestAddresses(t *testing.T) {
	for _, bad := range []string{"", "nonsense", "ftp://x", "http://", "127.0.0.1:8417"} {
		_, err := New(bad, "")
		assert.Error(t, err, bad)
	}
	c, err := New("https://endroit.example/", "")
	require.NoError(t, err)
	assert.Equal(t, "https://endroit.example", c.base)
}

// Each call goes where the API has it, with what it was given, and brings the
// token.
func TestCallsAskForWhatTheyMean(t *testing.T) {
	var asked string
	c := to(t, func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		asked = strings.TrimSpace(r.Method + " " + r.URL.RequestURI() + " " + string(body))
		assert.Equal(t, "Bearer endroit_token", r.Header.Get("Authorization"))
		_, _ = io.WriteString(w, `{"items":[{"id":"quayside"}],"next":"n","person":{"name":"mira"},"id":"larder"}`)
	})
	ctx := t.Context()
	for want, call := range map[string]func() (any, error){
		"GET /api/v1/session":                                              func() (any, error) { return c.WhoAmI(ctx) },
		"GET /api/v1/titles?cursor=c&q=tide+%26+co":                        func() (any, error) { return c.Titles(ctx, "tide & co", "c") },
		"GET /api/v1/launchers?cursor=n%2F1":                               func() (any, error) { return c.Launchers(ctx, "n/1") },
		"GET /api/v1/launchers/quay%2Fside":                                func() (any, error) { return c.Launcher(ctx, "quay/side") },
		"GET /api/v1/contributions?limit=5&mine=true&state=all":            func() (any, error) { return c.Contributions(ctx, Filter{State: "all", Mine: true, Limit: 5}) },
		"GET /api/v1/contributions":                                        func() (any, error) { return c.Contributions(ctx, Filter{}) },
		"GET /api/v1/contributions/7":                                      func() (any, error) { return c.Contribution(ctx, 7) },
		"POST /api/v1/contributions/7/accept":                              func() (any, error) { return c.Accept(ctx, 7) },
		`POST /api/v1/contributions/7/return {"because":"it \"is\" wide"}`: func() (any, error) { return c.Return(ctx, 7, `it "is" wide`) },
		`POST /api/v1/tokens {"name":"mira","password":"p"}`:               func() (any, error) { return c.Login(ctx, "mira", "p") },
		"DELETE /api/v1/tokens/current":                                    func() (any, error) { return nil, c.Logout(ctx) },
	} {
		got, err := call()
		require.NoError(t, err, want)
		assert.Equal(t, want, asked)
		switch got := got.(type) {
		case wire.Session:
			assert.Equal(t, "mira", got.Person.Name)
		case wire.Page[wire.LauncherListed]:
			require.Len(t, got.Items, 1)
			assert.Equal(t, "quayside", got.Items[0].ID)
			assert.Equal(t, "n", got.Next)
		case wire.LauncherShown:
			assert.Equal(t, "larder", got.ID)
		}
	}
}
