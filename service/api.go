package service

import (
	"encoding/base64"
	"math"
	"net/http"
	"strconv"
	"strings"
	"time"

	_ "embed"

	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

//go:embed openapi.yaml
var openAPI []byte

// bodyLimit is the largest body that is taken, in bytes.
const bodyLimit = contribution.MaxBytes

// tokenLife is how long a token holds.
const tokenLife = 90 * 24 * time.Hour

func (s *Service) api(g *echo.Group) {
	g.POST("/session", s.signIn)
	g.GET("/session", s.whoAmI)
	g.DELETE("/session", s.signOut)
	g.POST("/tokens", s.makeToken)
	g.DELETE("/tokens/current", s.removeToken, s.known)

	g.GET("/account", s.showAccount, s.known)
	g.POST("/account/password", s.changePassword, s.known)
	g.DELETE("/account/sign-ins/:id", s.endSignIn, s.known)

	g.GET("/titles", s.searchTitles, public)
	g.GET("/titles/:id", s.showTitle, public)
	g.GET("/titles/:id/history", s.showHistory, public)
	g.GET("/titles/:id/comparison", s.compareTitle, public)
	g.GET("/launchers", s.listLaunchers, public)
	g.GET("/launchers/:id", s.showLauncher, public)
	g.GET("/revisions", s.listRevisions, public)
	g.GET("/revisions/:number", s.showRevision, public)

	g.POST("/contributions", s.submit, s.known, s.limited(submissions))
	g.GET("/contributions", s.listContributions, s.known)
	g.GET("/contributions/:number", s.showContribution, s.known)
	g.POST("/contributions/:number/accept", s.accept, s.known, s.reviewer)
	g.POST("/contributions/:number/return", s.returnContribution, s.known, s.reviewer)

	g.GET("/contributions/:number/workbench", s.showBench, s.known)
	g.GET("/contributions/:number/workbench/files/:file", s.showBenchFile, s.known)
	g.POST("/contributions/:number/workbench/feedback", s.tryDraft, s.known, s.limited(feedback))
	g.POST("/contributions/:number/workbench/corrections", s.addCorrection, s.known, s.limited(corrections))

	g.GET("/openapi.yaml", func(c *echo.Context) error { return c.Blob(http.StatusOK, "application/yaml", openAPI) }, public)
}

const personKey = "person"

func person(c *echo.Context) store.Person {
	p, _ := c.Get(personKey).(store.Person)
	return p
}

// known lets only people with an account pass: by token, or by session.
func (s *Service) known(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		p, err := s.identify(c)
		if err != nil {
			return err
		}
		if p == nil {
			return answer.Problem(
				http.StatusUnauthorized, wire.ProblemSignIn,
				"sign in first: endroit login, or the console's sign-in page",
			)
		}
		c.Set(personKey, *p)
		return next(c)
	}
}

func (s *Service) reviewer(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if p := person(c); !p.Reviewer {
			return answer.Problem(
				http.StatusForbidden, wire.ProblemRole,
				p.Name+" is a contributor; only reviewers can decide on contributions",
			)
		}
		return next(c)
	}
}

// identify finds who asks; nil if nobody says.
func (s *Service) identify(c *echo.Context) (*store.Person, error) {
	ctx := c.Request().Context()
	if header := c.Request().Header.Get("Authorization"); header != "" {
		token, ok := strings.CutPrefix(header, "Bearer ")
		if !ok {
			return nil, answer.Problem(
				http.StatusUnauthorized, wire.ProblemSignIn,
				"the Authorization header must be Bearer and a token",
			)
		}
		p, id, expired, err := s.store.PersonByToken(ctx, tokenDigest(token))
		switch {
		case err == store.ErrNotFound:
			return nil, answer.Problem(
				http.StatusUnauthorized, wire.ProblemSignIn,
				"the token is not valid; get a new one with endroit login",
			)
		case err != nil:
			return nil, err
		case expired:
			return nil, answer.Problem(
				http.StatusUnauthorized, wire.ProblemExpired,
				"the token has expired; get a new one with endroit login",
			)
		}
		c.Set(signInKey, "t"+strconv.FormatInt(id, 10))
		return &p, nil
	}
	id := s.sessions.GetInt64(ctx, browserKey)
	if id == 0 {
		return nil, nil
	}
	p, err := s.store.PersonByBrowser(ctx, id)
	if err == store.ErrNotFound {
		return nil, nil
	}
	c.Set(signInKey, browserID(id))
	return &p, err
}

// authenticate checks a name and password, in the same time for unknown names.
func (s *Service) authenticate(c *echo.Context) (store.Person, error) {
	var in wire.Credentials
	if err := s.take(c, signInsOfNetwork, network(c.RealIP())); err != nil {
		return store.Person{}, err
	}
	if err := answer.Read(c, &in); err != nil {
		return store.Person{}, err
	}
	if len(in.Name) > 100 || len(in.Password) > 4*maxPassword {
		return store.Person{}, answer.Problem(http.StatusUnauthorized, wire.ProblemSignIn, "the name or the password is wrong")
	}
	if err := s.take(c, signInsOfName, in.Name); err != nil {
		return store.Person{}, err
	}
	done, err := s.hashing(c.Request().Context())
	if err != nil {
		return store.Person{}, err
	}
	defer done()
	p, err := s.store.PersonByName(c.Request().Context(), in.Name)
	hash := p.PasswordHash
	if err == store.ErrNotFound {
		hash = unknownHash()
	} else if err != nil {
		return p, err
	}
	ok, e := checkPassword(hash, in.Password)
	if e != nil {
		return p, e
	}
	if !ok || err != nil {
		return p, answer.Problem(http.StatusUnauthorized, wire.ProblemSignIn, "the name or the password is wrong")
	}
	if p.Disabled {
		return p, answer.Problem(
			http.StatusForbidden, wire.ProblemRole, "this account is disabled; ask those who run the service",
		)
	}
	return p, nil
}

func (s *Service) signIn(c *echo.Context) error {
	p, err := s.authenticate(c)
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	if err := s.sessions.RenewToken(ctx); err != nil {
		return err
	}
	if err := s.browserSigned(ctx, p); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, wire.Person{Name: p.Name, Reviewer: p.Reviewer})
}

func (s *Service) whoAmI(c *echo.Context) error {
	p, err := s.identify(c)
	if err != nil {
		return err
	}
	if p == nil {
		return c.JSON(http.StatusOK, wire.Session{})
	}
	return c.JSON(http.StatusOK, wire.Session{Person: &wire.Person{Name: p.Name, Reviewer: p.Reviewer}})
}

func (s *Service) signOut(c *echo.Context) error {
	ctx := c.Request().Context()
	if id := s.sessions.GetInt64(ctx, browserKey); id != 0 {
		if p, err := s.store.PersonByBrowser(ctx, id); err == nil {
			if err := s.store.EndSignIn(ctx, p.ID, browserID(id)); err != nil && err != store.ErrNotFound {
				return err
			}
		}
	}
	if err := s.sessions.Destroy(ctx); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

func (s *Service) makeToken(c *echo.Context) error {
	p, err := s.authenticate(c)
	if err != nil {
		return err
	}
	token, digest := newToken()
	expires := time.Now().Add(tokenLife).UTC().Truncate(time.Second)
	if err := s.store.AddToken(c.Request().Context(), p.ID, digest, expires); err != nil {
		return err
	}
	return c.JSON(
		http.StatusCreated,
		wire.Token{Token: token, Expires: expires, Person: wire.Person{Name: p.Name, Reviewer: p.Reviewer}},
	)
}

func (s *Service) removeToken(c *echo.Context) error {
	token := strings.TrimPrefix(c.Request().Header.Get("Authorization"), "Bearer ")
	if err := s.store.RemoveToken(c.Request().Context(), tokenDigest(token)); err != nil {
		return err
	}
	return c.NoContent(http.StatusNoContent)
}

// page reads limit and cursor. A cursor is opaque to callers: a number in
// base64.
func page(c *echo.Context) (cursor int64, limit int, err error) {
	limit = 50
	if text := c.QueryParam("limit"); text != "" {
		if limit, err = strconv.Atoi(text); err != nil || limit < 1 || limit > 200 {
			return 0, 0, answer.Invalid("limit", "it must be a number from 1 to 200")
		}
	}
	if text := c.QueryParam("cursor"); text != "" {
		raw, e := base64.RawURLEncoding.DecodeString(text)
		if cursor, err = strconv.ParseInt(string(raw), 10, 64); err != nil || e != nil || cursor < 0 || cursor > math.MaxInt32 {
			return 0, 0, answer.Invalid("cursor", "it is not a cursor of this service")
		}
	}
	return cursor, limit, nil
}

func cursorTo(n int64) string {
	return base64.RawURLEncoding.EncodeToString([]byte(strconv.FormatInt(n, 10)))
}
