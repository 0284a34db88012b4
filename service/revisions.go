package service

import (
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"endroit/published"
	"endroit/service/answer"
	"endroit/service/store"
	"endroit/service/wire"
)

// publishedFolder is where the published tree is served.
const publishedFolder = "/published/"

// maxListed is how many changes of a revision a list names.
const maxListed = 20

func revisionShown(r store.Revision, changes []store.RevisionChange) wire.RevisionShown {
	out := wire.RevisionShown{
		Number: r.Number, Digest: r.Digest, Published: r.Published.UTC(), Because: r.Because, Titles: r.Titles,
		Sheets: r.Sheets, Changed: r.Changed, Changes: []wire.RevisionChanged{},
	}
	for _, x := range changes {
		out.Changes = append(out.Changes, wire.RevisionChanged{TitleID: x.TitleID, SheetID: x.SheetID, Name: x.Name})
	}
	return out
}

func (s *Service) listRevisions(c *echo.Context) error {
	cursor, limit, err := page(c)
	if err != nil {
		return err
	}
	list, err := s.store.Revisions(c.Request().Context(), int(cursor), limit+1)
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
		changes, err := s.store.RevisionChanges(c.Request().Context(), r.Number, maxListed)
		if err != nil {
			return err
		}
		items = append(items, revisionShown(r, changes))
	}
	return c.JSON(http.StatusOK, wire.Page[wire.RevisionShown]{Items: items, Next: next})
}

// maxShown is how many changes of a revision are shown with it.
const maxShown = 1000

func (s *Service) showRevision(c *echo.Context) error {
	number, err := strconv.ParseInt(c.Param("number"), 10, 32)
	if err != nil || number < 1 {
		return answer.Problem(http.StatusNotFound, wire.ProblemNotFound, "revision must be a number")
	}
	r, err := s.store.Revision(c.Request().Context(), int(number))
	if err != nil {
		return err
	}
	changes, err := s.store.RevisionChanges(c.Request().Context(), r.Number, maxShown)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, revisionShown(r, changes))
}

// servePublished answers a file of the published tree. All but the timestamp never change.
// Roots that are not there yet may come.
func (s *Service) servePublished(c *echo.Context) error {
	path := strings.TrimPrefix(c.Request().URL.Path, publishedFolder)
	data, err := s.store.PublishedFile(c.Request().Context(), path)
	if err == store.ErrNotFound {
		c.Response().Header().Set("Cache-Control", "no-store")
		return answer.Problem(http.StatusNotFound, wire.ProblemNotFound, "no such file is published")
	}
	if err != nil {
		return err
	}
	header := c.Response().Header()
	keep := "public, max-age=31536000, immutable"
	if path == published.TimestampPath {
		keep = "public, no-cache"
	}
	header.Set("Cache-Control", keep)
	sum := sha256.Sum256(data)
	tag := `"` + hex.EncodeToString(sum[:16]) + `"`
	header.Set("ETag", tag)
	if strings.Contains(c.Request().Header.Get("If-None-Match"), tag) {
		return c.NoContent(http.StatusNotModified)
	}
	kind := "application/octet-stream"
	if strings.HasSuffix(path, ".json") {
		kind = "application/json"
	}
	return c.Blob(http.StatusOK, kind, data)
}
