package service

import (
	"context"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

// Change is what becomes of an account.
type Change = store.Changed

// ErrNoAccount says that nobody has that name here.
var ErrNoAccount = store.ErrNotFound

// Accounts lists all accounts, by name.
func (s *Service) Accounts(ctx context.Context) ([]store.Account, error) {
	return s.store.Accounts(ctx)
}

// ChangeAccount changes what may be done with an account, or ends its sign-ins.
func (s *Service) ChangeAccount(ctx context.Context, name string, c Change) error {
	if err := s.store.ChangeAccount(ctx, name, c); err != nil {
		return fmt.Errorf("change %s: %w", name, err)
	}
	return nil
}

// Rename gives an account another name.
func (s *Service) Rename(ctx context.Context, name, to string) error {
	if err := checkName(to); err != nil {
		return err
	}
	if err := s.store.Rename(ctx, name, to); err != nil {
		return fmt.Errorf("rename %s to %s: %w", name, to, err)
	}
	return nil
}

// Forget removes who an account was of.
func (s *Service) Forget(ctx context.Context, name string) error {
	if err := s.store.Forget(ctx, name); err != nil {
		return fmt.Errorf("forget %s: %w", name, err)
	}
	return nil
}

// SetPassword gives an account another password, and ends its sign-ins.
func (s *Service) SetPassword(ctx context.Context, name, password string) error {
	if err := checkAccount(name, password); err != nil {
		return err
	}
	hash := hashPassword(password)
	return s.ChangeAccount(ctx, name, Change{PasswordHash: &hash})
}

// signInKey is the sign-in that a request comes with: t or b, and its number.
const signInKey = "sign-in"

func signIn(c *echo.Context) string {
	id, _ := c.Get(signInKey).(string)
	return id
}

func (s *Service) showAccount(c *echo.Context) error {
	me := person(c)
	list, err := s.store.SignIns(c.Request().Context(), me.ID)
	if err != nil {
		return err
	}
	out := wire.Account{Name: me.Name, Reviewer: me.Reviewer, SignIns: []wire.SignIn{}}
	for _, x := range list {
		out.SignIns = append(
			out.SignIns,
			wire.SignIn{ID: x.ID, Kind: x.Kind, Created: x.Created.UTC(), Expires: x.Expires.UTC(), Current: x.ID == signIn(c)},
		)
	}
	return c.JSON(http.StatusOK, out)
}

func (s *Service) endSignIn(c *echo.Context) error {
	if err := s.store.EndSignIn(c.Request().Context(), person(c).ID, c.Param("id")); err != nil {
		return err
	}
	s.log.Info("signed out", "person", person(c).Name, "sign_in", c.Param("id"))
	return c.NoContent(http.StatusNoContent)
}

// changePassword takes the present password too: a sign-in that was stolen is not enough.
func (s *Service) changePassword(c *echo.Context) error {
	var in wire.PasswordChange
	if err := answer.Read(c, &in); err != nil {
		return err
	}
	me := person(c)
	if err := s.take(c, signInsOfName, me.Name); err != nil {
		return err
	}
	if err := checkAccount(me.Name, in.New); err != nil {
		return answer.Invalid("new", err.Error())
	}
	done, err := s.hashing(c.Request().Context())
	if err != nil {
		return err
	}
	defer done()
	if ok, err := checkPassword(me.PasswordHash, in.Password); err != nil {
		return err
	} else if !ok || len(in.Password) > 4*maxPassword {
		return answer.Problem(http.StatusForbidden, wire.ProblemSignIn, "the current password is wrong")
	}
	if err := s.store.ChangePassword(c.Request().Context(), me.ID, hashPassword(in.New), signIn(c)); err != nil {
		return err
	}
	s.log.Info("changed the password", "person", me.Name)
	return c.NoContent(http.StatusNoContent)
}

// browserSigned notes a browser's sign-in in its session.
func (s *Service) browserSigned(ctx context.Context, p store.Person) error {
	id, err := s.store.AddBrowser(ctx, p.ID, time.Now().Add(s.sessions.Lifetime))
	if err != nil {
		return err
	}
	s.sessions.Put(ctx, browserKey, id)
	return nil
}

const browserKey = "browser"

func browserID(id int64) string { return "b" + strconv.FormatInt(id, 10) }
