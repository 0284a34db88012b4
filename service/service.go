// Package service is the long-running service: the API, the console and the
// published manifest.
//
//	s, err := service.New(ctx, service.Config{Database: url})
//	err = s.Serve(ctx, listener)
package service

import (
	"compress/gzip"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/VictoriaMetrics/metrics"
	"github.com/alexedwards/scs/pgxstore"
	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"endroit/console"
	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

// Config is what a service needs; the zero values of all but Database do.
type Config struct {
	Database string // postgres://…
	Log      *slog.Logger
	// SecureCookies is for a service that people reach over HTTPS.
	SecureCookies bool
	// Proxies are the addresses whose X-Forwarded-For is believed: those of the
	// load balancer in front. Nobody's by default.
	Proxies []*net.IPNet
	Version string
}

// Service answers requests. Several may share one database.
type Service struct {
	config   Config
	log      *slog.Logger
	store    *store.Store
	sessions *scs.SessionManager
	metrics  *metrics.Set
	router   *echo.Echo
	handler  http.Handler
	hashes   chan struct{} // holds a token for each password that is being hashed
	tidying  chan struct{} // closed at the end
	closing  sync.Once
}

// New opens the database and makes the service ready.
func New(ctx context.Context, c Config) (*Service, error) {
	if c.Log == nil {
		c.Log = slog.New(slog.NewTextHandler(io.Discard, nil))
	}
	db, err := store.Open(ctx, c.Database)
	if err != nil {
		return nil, err
	}
	_ = unknownHash() // now, so that no sign-in takes longer for it
	s := &Service{
		config:  c,
		log:     c.Log,
		store:   db,
		metrics: metrics.NewSet(),
		hashes:  make(chan struct{}, hashers),
		tidying: make(chan struct{}),
	}
	s.sessions = scs.New()
	s.sessions.Store = pgxstore.NewWithCleanupInterval(db.Pool, 0) // tidy forgets what expired
	s.sessions.HashTokenInStore = true
	s.sessions.Lifetime = 7 * 24 * time.Hour
	s.sessions.IdleTimeout = 24 * time.Hour
	s.sessions.Cookie.Name = "endroit_session"
	s.sessions.Cookie.HttpOnly = true
	s.sessions.Cookie.SameSite = http.SameSiteStrictMode
	s.sessions.Cookie.Secure = c.SecureCookies
	s.sessions.ErrorFunc = func(w http.ResponseWriter, _ *http.Request, err error) {
		s.log.Error("session", "error", err)
		http.Error(w, "the session could not be read or saved", http.StatusInternalServerError)
	}
	s.handler = s.build()
	go s.tidy()
	return s, nil
}

// tidyEvery is how often expired rows are deleted.
const tidyEvery = 10 * time.Minute

func (s *Service) tidy() {
	tick := time.NewTicker(tidyEvery)
	defer tick.Stop()
	for {
		if err := s.store.DeleteExpired(context.Background()); err != nil {
			s.log.Warn("tidy the database", "error", err)
		}
		if err := s.store.DeleteReplaced(context.Background()); err != nil {
			s.log.Warn("tidy the published files", "error", err)
		}
		if err := s.store.EnsureParts(context.Background()); err != nil {
			s.log.Warn("prepare the database", "error", err)
		}
		select {
		case <-tick.C:
		case <-s.tidying:
			return
		}
	}
}

// Close ends the connections to the database. It may be called again.
func (s *Service) Close() {
	s.closing.Do(func() {
		close(s.tidying)
		s.store.Close()
	})
}

// AddPerson makes an account. It returns store.ErrTaken's text if the name has
// one.
func (s *Service) AddPerson(ctx context.Context, name, password string, reviewer bool) error {
	if err := checkAccount(name, password); err != nil {
		return err
	}
	if err := s.store.AddPerson(ctx, name, hashPassword(password), reviewer); err != nil {
		return fmt.Errorf("add %s: %w", name, err)
	}
	return nil
}

// ServeHTTP answers one request.
func (s *Service) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

// drainFor is how long requests that are under way may take after the end was
// asked for.
const drainFor = 10 * time.Second

// Serve answers on the listener until ctx ends, and then finishes what is under
// way.
func (s *Service) Serve(ctx context.Context, l net.Listener) error { return serve(ctx, l, s) }

// ServeOperations answers Operations on a listener until ctx ends.
func (s *Service) ServeOperations(ctx context.Context, l net.Listener) error {
	return serve(ctx, l, s.Operations())
}

func serve(ctx context.Context, l net.Listener, h http.Handler) error {
	server := &http.Server{
		Handler:           h,
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       time.Minute,
		WriteTimeout:      2 * time.Minute,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    64 << 10,
	}
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(l) }()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	drain, cancel := context.WithTimeout(context.WithoutCancel(ctx), drainFor)
	defer cancel()
	if err := server.Shutdown(drain); err != nil {
		return fmt.Errorf("shut down: %w", err)
	}
	if err := <-failed; !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

func (s *Service) build() http.Handler {
	e := echo.New()
	e.Logger = s.log
	e.HTTPErrorHandler = s.answerError
	if len(s.config.Proxies) > 0 {
		trust := []echo.TrustOption{echo.TrustLoopback(false), echo.TrustLinkLocal(false), echo.TrustPrivateNet(false)}
		for _, p := range s.config.Proxies {
			trust = append(trust, echo.TrustIPRange(p))
		}
		e.IPExtractor = echo.ExtractIPFromXFFHeader(trust...)
	}
	e.Pre(named, sound)
	e.Use(s.observe, middleware.Recover())
	e.Use(middleware.SecureWithConfig(middleware.SecureConfig{
		ContentTypeNosniff:    "nosniff",
		XFrameOptions:         "DENY",
		ReferrerPolicy:        "same-origin",
		ContentSecurityPolicy: console.Security,
	}))
	e.Use(
		middleware.BodyLimit(bodyLimit),
		middleware.GzipWithConfig(middleware.GzipConfig{
			Level: gzip.BestSpeed,
			// What a connection sends at once anyway (RFC 6928) is not worth the time.
			MinLength: 8 << 10,
			Skipper: func(c *echo.Context) bool {
				path := c.Request().URL.Path
				return strings.HasPrefix(path, console.Assets) || strings.HasPrefix(path, publishedFolder)
			},
		}),
		private,
	)

	s.api(e.Group("/api/v1"))
	e.GET(publishedFolder+"*", s.servePublished)
	s.console(e)
	s.router = e

	// A page elsewhere cannot act with a person's session (Fetch metadata and
	// Origin); programs send neither and carry a token.
	guard := http.NewCrossOriginProtection()
	guard.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(http.StatusForbidden)
		_, _ = io.WriteString(
			w,
			`{"type":"about:blank","title":"Forbidden","status":403,"detail":"this request came from another site"}`,
		)
	}))
	withSession := s.sessions.LoadAndSave(e)
	return guard.Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodHead { // the server leaves the body out
			r = r.Clone(r.Context())
			r.Method = http.MethodGet
		}
		if strings.HasPrefix(r.URL.Path, "/api/v1/") {
			withSession.ServeHTTP(w, r)
			return
		}
		e.ServeHTTP(w, r)
	}))
}

// Operations answers what those who run the service ask: /healthz, /readyz and /metrics.
// It is for an address that strangers do not reach.
func (s *Service) Operations() http.Handler {
	e := echo.New()
	e.Logger = s.log
	e.HTTPErrorHandler = s.answerError
	e.Pre(named)
	e.GET("/healthz", func(c *echo.Context) error { return c.String(http.StatusOK, "ok\n") })
	e.GET("/readyz", s.ready)
	e.GET("/metrics", s.showMetrics)
	return e
}

// named gives each request an id of our own: a caller's could be anything.
func named(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		c.Response().Header().Set(echo.HeaderXRequestID, rand.Text())
		return next(c)
	}
}

// sound refuses addresses that no name here could be in.
func sound(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		u := c.Request().URL
		texts := []string{u.Path}
		query, err := url.ParseQuery(u.RawQuery)
		for name, values := range query {
			texts = append(append(texts, name), values...)
		}
		for _, text := range texts {
			if err != nil || !utf8.ValidString(text) || strings.ContainsRune(text, 0) {
				return answer.Problem(
					http.StatusBadRequest, wire.ProblemInvalid,
					"invalid request path: it must be valid UTF-8 without NUL, percent-encoded",
				)
			}
		}
		return next(c)
	}
}

// answerWithin is how long an answer may take to be worked out.
const answerWithin = 30 * time.Second

// private bounds the time of an answer, and keeps the API's out of caches: calls that are
// everybody's say otherwise.
func private(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		ctx, cancel := context.WithTimeout(c.Request().Context(), answerWithin)
		defer cancel()
		c.SetRequest(c.Request().WithContext(ctx))
		if strings.HasPrefix(c.Request().URL.Path, "/api/") {
			c.Response().Header().Set("Cache-Control", "no-store")
		}
		return next(c)
	}
}

// public is for what anybody may read and a cache may hold if it asks each time.
func public(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		c.Response().Header().Set("Cache-Control", "public, no-cache")
		return next(c)
	}
}

func (s *Service) ready(c *echo.Context) error {
	ctx, cancel := context.WithTimeout(c.Request().Context(), 2*time.Second)
	defer cancel()
	if err := s.store.Pool.Ping(ctx); err != nil {
		return answer.Problem(http.StatusServiceUnavailable, wire.ProblemAny, "the database does not respond")
	}
	return c.String(http.StatusOK, "ready\n")
}

// showMetrics shows what operators watch, in Prometheus' text format.
func (s *Service) showMetrics(c *echo.Context) error {
	c.Response().Header().Set(echo.HeaderContentType, "text/plain; version=0.0.4; charset=utf-8")
	c.Response().WriteHeader(http.StatusOK)
	s.metrics.WritePrometheus(c.Response())
	metrics.WriteProcessMetrics(c.Response())
	metrics.WriteFDMetrics(c.Response())
	return nil
}

// methods are counted by name: others are a caller's invention, and each would add a line.
var methods = []string{
	http.MethodGet,
	http.MethodHead,
	http.MethodPost,
	http.MethodPut,
	http.MethodPatch,
	http.MethodDelete,
	http.MethodOptions,
}

// count counts a request and the time that its answer took. route is the path as routes
// are written here.
func (s *Service) count(route, method string, status int, took time.Duration) {
	if !slices.Contains(methods, method) {
		method = "other"
	}
	s.metrics.GetOrCreateCounter(
		fmt.Sprintf("endroit_requests_total{method=%q,route=%q,status=\"%d\"}", method, route, status),
	).Inc()
	s.metrics.GetOrCreatePrometheusHistogram(fmt.Sprintf("endroit_request_seconds{route=%q}", route)).Update(took.Seconds())
}

// observe logs and counts every request.
func (s *Service) observe(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		start := time.Now()
		err := next(c)
		if err != nil {
			c.Echo().HTTPErrorHandler(c, err)
		}
		took := time.Since(start)
		status := http.StatusOK
		if r, _ := echo.UnwrapResponse(c.Response()); r != nil {
			status = r.Status
		}
		route := c.Path()
		if route == "" {
			route = "none"
		}
		s.count(route, c.Request().Method, status, took)
		s.log.Info(
			"request", "method", c.Request().Method, "path", c.Request().URL.Path, "status", status, "took_ms",
			float64(took.Microseconds())/1e3, "person", person(c).Name, "network", network(c.RealIP()),
			"request_id", requestID(c),
		)
		return nil
	}
}
