package service

import (
	"crypto/sha256"
	"encoding/json"
	"net/http"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/labstack/echo/v5"

	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/core/standing"
	"endroit/core/words"
	"endroit/service/store"
	"endroit/service/wire"
)

func (s *Service) submit(c *echo.Context) error {
	key := c.Request().Header.Get("Idempotency-Key")
	if key == "" || len(key) > 200 || strings.ContainsFunc(key, func(r rune) bool { return r < ' ' || r > '~' }) {
		return invalid("Idempotency-Key", "the header is missing, longer than 200 bytes or not printable ASCII; send one value for one submission, so that it is stored once")
	}
	if kind, _, _ := strings.Cut(c.Request().Header.Get("Content-Type"), ";"); kind != "application/json" {
		return problem(http.StatusUnsupportedMediaType, wire.ProblemInvalid, "the body has to be application/json")
	}
	raw, err := bodyOf(c)
	if err != nil {
		return err
	}
	digest := sha256.Sum256(raw)
	id, again, err := s.store.Submitted(c.Request().Context(), person(c).ID, key, digest[:])
	if err == nil && !again { // what was stored once is not checked a second time
		id, again, err = s.add(c, key, digest[:], raw)
	}
	if err != nil {
		return err
	}
	status := http.StatusCreated
	if again {
		status = http.StatusOK
	}
	c.Response().Header().Set("Location", "/api/v1/contributions/"+strconv.FormatInt(id, 10))
	return c.JSON(status, wire.Submitted{Number: id, Again: again})
}

// add checks a submission and stores it: of what was sent only what was read of it.
func (s *Service) add(c *echo.Context, key string, digest, raw []byte) (id int64, again bool, err error) {
	body, err := contribution.Parse(raw)
	if err != nil {
		return 0, false, err
	}
	if err := body.Check(c.Request().Context()); err != nil {
		return 0, false, err
	}
	title, err := s.fits(c, body)
	if err != nil {
		return 0, false, err
	}
	doc, err := manifest.Canonical(body)
	if err != nil {
		return 0, false, err
	}
	return s.store.AddContribution(c.Request().Context(), person(c).ID, key, digest, body.Kind(), title, doc)
}

// fits reports what keeps a contribution from standing beside what is accepted, and the
// name under which it would be published.
func (s *Service) fits(c *echo.Context, body *contribution.Body) (title string, err error) {
	if body.Sheet != nil {
		all, err := s.store.Sheets(c.Request().Context())
		if err != nil {
			return "", err
		}
		if clashes := store.ClashesWith(body.Sheet, all); len(clashes) > 0 {
			return "", &store.ClashError{Clashes: clashes}
		}
		return body.Title(), nil
	}
	sheets, err := s.store.Sheets(c.Request().Context())
	if err != nil {
		return "", err
	}
	if err := contribution.CheckLaunchers(body.Draft, store.Readable(sheets)); err != nil {
		return "", err
	}
	others, err := s.store.TitlesNear(c.Request().Context(), body.Draft)
	if err != nil {
		return "", err
	}
	conflicts, err := manifest.Conflicts(c.Request().Context(), body.Draft, others)
	if err != nil {
		return "", err
	}
	if len(conflicts) > 0 {
		return "", &store.ConflictError{Conflicts: conflicts}
	}
	return manifest.Published(manifest.Present(others, body.Draft), body.Draft.Title), nil
}

func listed(x store.Contribution) wire.ContributionListed {
	return wire.ContributionListed{Number: x.ID, Kind: x.Kind, Title: x.Title, By: x.By, State: x.State, Submitted: x.Submitted.UTC(), DecidedBy: x.DecidedBy, Decided: x.Decided, Because: x.Because, Revision: x.Revision}
}

// listContributions shows reviewers everything and contributors their own.
func (s *Service) listContributions(c *echo.Context) error {
	cursor, limit, err := page(c)
	if err != nil {
		return err
	}
	state := c.QueryParam("state")
	if state != "" && state != "waiting" && state != "accepted" && state != "returned" {
		return invalid("state", "it is waiting, accepted or returned")
	}
	me := person(c)
	var only int64
	if !me.Reviewer || c.QueryParam("mine") == "true" {
		only = me.ID
	}
	list, err := s.store.Contributions(c.Request().Context(), state, only, cursor, limit+1)
	if err != nil {
		return err
	}
	next := ""
	if len(list) > limit {
		list = list[:limit]
		next = cursorTo(list[limit-1].ID)
	}
	items := []wire.ContributionListed{}
	for _, x := range list {
		items = append(items, listed(x))
	}
	return c.JSON(http.StatusOK, wire.Page[wire.ContributionListed]{Items: items, Next: next})
}

func contributionNumber(c *echo.Context) (int64, error) {
	id, err := strconv.ParseInt(c.Param("number"), 10, 64)
	if err != nil || id < 1 {
		return 0, problem(http.StatusNotFound, wire.ProblemNotFound, "a contribution has a number")
	}
	return id, nil
}

func (s *Service) showContribution(c *echo.Context) error {
	x, err := s.visible(c)
	if err != nil {
		return err
	}
	shown, err := s.show(c, x)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, shown)
}

func (s *Service) show(c *echo.Context, x store.Contribution) (*wire.ContributionShown, error) {
	body, err := s.corrected(c, x)
	if err != nil {
		return nil, err
	}
	out := &wire.ContributionShown{ContributionListed: listed(x), Locations: []wire.LocationShown{}, Coverage: []contribution.Covered{}, Changes: []manifest.Change{}, Conflicts: []manifest.Conflict{}}
	if body.Sheet != nil {
		out.Sheet, err = s.showSheet(c, x, body)
	} else {
		err = s.showDraft(c, x, body, out)
	}
	if err != nil {
		return nil, err
	}
	me := person(c)
	switch {
	case x.State != "waiting":
		out.WhyNot = "it was " + x.State + " by " + x.DecidedBy
	case x.By == me.Name:
		out.WhyNot = "it is your own; another reviewer decides"
	case !me.Reviewer:
		out.WhyNot = "only reviewers decide"
	default:
		out.MayDecide = true
	}
	return out, nil
}

// showDraft fills in what a reviewer needs of a draft.
func (s *Service) showDraft(c *echo.Context, x store.Contribution, body *contribution.Body, out *wire.ContributionShown) error {
	var err error
	if out.Draft, err = json.Marshal(body.Draft); err != nil {
		return err
	}
	if out.Footprint, err = json.Marshal(body.Footprint); err != nil {
		return err
	}
	out.Variant = manifest.VariantOf(body.Draft).String()
	if out.Coverage, err = contribution.Cover(c.Request().Context(), body.Draft, body.Footprint); err != nil {
		return err
	}
	others, err := s.store.TitlesNear(c.Request().Context(), body.Draft)
	if err != nil {
		return err
	}
	forms, err := s.forms(c)
	if err != nil {
		return err
	}
	present := manifest.Present(others, body.Draft)
	next := manifest.Title{}
	if present != nil {
		next = *present
	}
	if x.State == "waiting" {
		next, err = manifest.Apply(present, manifest.Accepted{Draft: body.Draft, Evidence: standing.Evidence{Contribution: int(x.ID), By: x.By, Observer: body.Footprint.Observer}})
		if err != nil {
			return err
		}
		out.Changes = append(manifest.Joins(present, body.Draft.Title), manifest.Compare(present, next)...)
		if out.Conflicts, err = manifest.Conflicts(c.Request().Context(), body.Draft, others); err != nil {
			return err
		}
	}
	for _, v := range next.Variants {
		if !v.Same(manifest.VariantOf(body.Draft)) {
			continue
		}
		for _, d := range body.Draft.Locations {
			for _, l := range v.Locations {
				if l.At == d.At && l.Holds == d.Holds {
					out.Locations = append(out.Locations, forms.show(l, v))
				}
			}
		}
	}
	if len(out.Locations) == 0 { // returned: not in the manifest
		for _, d := range body.Draft.Locations {
			out.Locations = append(out.Locations, forms.show(manifest.Location{At: d.At, Holds: d.Holds, Evidence: []standing.Evidence{}, Notes: d.Notes}, manifest.VariantOf(body.Draft)))
		}
	}
	return nil
}

func (s *Service) accept(c *echo.Context) error {
	id, err := contributionNumber(c)
	if err != nil {
		return err
	}
	revision, err := s.store.Accept(c.Request().Context(), id, person(c))
	if err != nil {
		return err
	}
	s.log.Info("accepted", "contribution", id, "by", person(c).Name, "revision", revision)
	return c.JSON(http.StatusOK, wire.Decided{Number: id, State: "accepted", Revision: revision})
}

// maxBecause is how long a reason may be, in characters.
const maxBecause = 2000

func (s *Service) returnContribution(c *echo.Context) error {
	id, err := contributionNumber(c)
	if err != nil {
		return err
	}
	var in struct {
		Because string `json:"because"`
	}
	if err := read(c, &in); err != nil {
		return err
	}
	in.Because = strings.TrimSpace(in.Because)
	in.Because = strings.ReplaceAll(in.Because, "\r\n", "\n")
	if n := utf8.RuneCountInString(in.Because); n == 0 || n > maxBecause {
		return invalid("because", "say in 1 to 2000 characters why, so that the contributor can fix it")
	}
	if reason := words.Text(in.Because, 4*maxBecause); reason != "" {
		return invalid("because", reason)
	}
	if err := s.store.Return(c.Request().Context(), id, person(c), in.Because); err != nil {
		return err
	}
	s.log.Info("returned", "contribution", id, "by", person(c).Name)
	return c.JSON(http.StatusOK, wire.Decided{Number: id, State: "returned"})
}
