package service

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"net/netip"
	"strconv"
	"time"

	"github.com/labstack/echo/v5"

	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

// The limits, for all processes of a service together. docs/api.md states them.
var (
	signInsOfNetwork = store.Limit{Name: "sign-in", Burst: 10, Every: 2 * time.Second}
	signInsOfName    = store.Limit{Name: "sign-in-name", Burst: 50, Every: 10 * time.Second}
	submissions      = store.Limit{Name: "submit", Burst: 60, Every: time.Minute}
	corrections      = store.Limit{Name: "correct", Burst: 300, Every: 2 * time.Second}
	feedback         = store.Limit{Name: "feedback", Burst: 120, Every: time.Second}
)

// network is whose limit an address uses up: all of a /64 is one customer's.
func network(address string) string {
	a, err := netip.ParseAddr(address)
	if err != nil {
		return "unknown"
	}
	if a = a.Unmap().WithZone(""); a.Is4() {
		return a.String()
	}
	return netip.PrefixFrom(a, 64).Masked().String()
}

// take uses a limit once, and says in the answer what is left of it
// (draft-ietf-httpapi-ratelimit-headers).
func (s *Service) take(c *echo.Context, l store.Limit, by string) error {
	u, err := s.store.UseLimit(c.Request().Context(), l, by)
	if err != nil {
		return err
	}
	seconds := func(d time.Duration) string { return strconv.Itoa(int(math.Ceil(d.Seconds()))) }
	h := c.Response().Header()
	h.Set("RateLimit-Policy", fmt.Sprintf("%q;q=%d;w=%s", l.Name, l.Burst, seconds(time.Duration(l.Burst)*l.Every)))
	h.Set("RateLimit", fmt.Sprintf("%q;r=%d;t=%s", l.Name, u.Left, seconds(u.Again)))
	if u.Allowed {
		return nil
	}
	h.Set("Retry-After", seconds(max(u.Again, time.Second)))
	return answer.Problem(
		http.StatusTooManyRequests, wire.ProblemTooMany,
		"too many requests; wait "+seconds(max(u.Again, time.Second))+" s",
	)
}

// limited holds a person to a limit.
func (s *Service) limited(l store.Limit) echo.MiddlewareFunc {
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			if err := s.take(c, l, strconv.FormatInt(person(c).ID, 10)); err != nil {
				return err
			}
			return next(c)
		}
	}
}

// hashers is how many passwords are hashed at a time: each takes 19 MiB and a processor.
const hashers = 4

// hashing waits until one more password may be hashed, and returns what ends that.
func (s *Service) hashing(ctx context.Context) (done func(), err error) {
	wait, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	select {
	case s.hashes <- struct{}{}:
		return func() { <-s.hashes }, nil
	case <-wait.Done():
		return nil, answer.Problem(
			http.StatusServiceUnavailable, wire.ProblemTooMany,
			"too many sign-ins at once; try again in a few seconds",
		)
	}
}
