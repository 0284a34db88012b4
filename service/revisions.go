package service

import (
	"fmt"
	"math"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

// manifestBody is the newest revision's bytes, kept between requests.
type manifestBody struct {
	revision store.Revision
	bytes    []byte
}

// manifestType is the media type of a revision.
const manifestType = "application/json"

// newestManifest answers the newest revision. The entity tag is its digest, weak
// because the transfer may be compressed.
func (s *Service) newestManifest(c *echo.Context) error {
	r, err := s.store.Revision(c.Request().Context(), -1)
	if err != nil {
		return err
	}
	return s.answerRevision(c, r, "public, no-cache")
}

func (s *Service) oneRevision(c *echo.Context) error {
	number, err := strconv.Atoi(c.Param("number"))
	if err != nil || number < 0 || number > math.MaxInt32 {
		return answer.Problem(http.StatusNotFound, wire.ProblemNotFound, "revision must be a number")
	}
	r, err := s.store.Revision(c.Request().Context(), number)
	if err != nil {
		return err
	}
	return s.answerRevision(c, r, "public, max-age=31536000, immutable")
}

// answerRevision answers a revision's bytes. What a failure says is not the revision, so
// that it has none of the headers that say what may be done with one.
func (s *Service) answerRevision(c *echo.Context, r store.Revision, keep string) error {
	answered := func() {
		header := c.Response().Header()
		header.Set("Cache-Control", keep)
		header.Set("ETag", `W/"`+r.Digest+`"`)
		header.Set("Last-Modified", r.Published.UTC().Format(http.TimeFormat))
		header.Set("Endroit-Revision", strconv.Itoa(r.Number))
	}
	for _, tag := range strings.Split(c.Request().Header.Get("If-None-Match"), ",") {
		tag = strings.TrimPrefix(strings.TrimSpace(tag), "W/")
		if tag == `"`+r.Digest+`"` || tag == "*" {
			answered()
			return c.NoContent(http.StatusNotModified)
		}
	}
	body, err := s.revisionBytes(c, r)
	if err != nil {
		return err
	}
	answered()
	return c.Blob(http.StatusOK, manifestType, body)
}

func (s *Service) revisionBytes(c *echo.Context, r store.Revision) ([]byte, error) {
	s.mu.Lock()
	kept := s.body
	s.mu.Unlock()
	if kept.bytes != nil && kept.revision.Digest == r.Digest {
		return kept.bytes, nil
	}
	body, err := s.store.RevisionBody(c.Request().Context(), r)
	if err != nil {
		return nil, fmt.Errorf("manifest: %w", err)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if r.Number >= s.body.revision.Number {
		s.body = manifestBody{r, body}
	}
	return body, nil
}

func (s *Service) listRevisions(c *echo.Context) error {
	cursor, limit, err := page(c)
	if err != nil {
		return err
	}
	before := int(cursor)
	if c.QueryParam("cursor") == "" {
		before = -1
	}
	list, err := s.store.Revisions(c.Request().Context(), before, limit+1)
	if err != nil {
		return err
	}
	next := ""
	if len(list) > limit {
		list = list[:limit]
		next = cursorTo(int64(list[limit-1].Number))
	}
	items := []wire.RevisionShown{}
	for _, r := range list {
		items = append(items, wire.RevisionShown{
			Number:       r.Number,
			Digest:       r.Digest,
			Previous:     r.Previous,
			Published:    r.Published.UTC(),
			Contribution: r.Contribution,
			Title:        r.Title,
			TitleID:      r.TitleID,
			Sheet:        r.Sheet,
			SheetID:      r.SheetID,
		})
	}
	return c.JSON(http.StatusOK, wire.Page[wire.RevisionShown]{Items: items, Next: next})
}
