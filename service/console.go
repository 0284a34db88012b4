package service

import (
	"bytes"
	"io/fs"
	"net/http"
	"path"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"endroit/console"
	"endroit/service/wire"
)

// console serves the console's files; any other address outside the API is one
// of its pages and gets the page frame.
func (s *Service) console(e *echo.Echo) {
	files := console.Files()
	index, err := fs.ReadFile(files, "index.html")
	e.GET("/*", func(c *echo.Context) error {
		name := strings.TrimPrefix(path.Clean("/"+c.Request().URL.Path), "/")
		if data, err := fs.ReadFile(files, name); err == nil && name != "index.html" {
			if strings.HasPrefix(name, "assets/") { // their names change with their content
				c.Response().Header().Set("Cache-Control", "public, max-age=31536000, immutable")
			}
			http.ServeContent(c.Response(), c.Request(), name, time.Time{}, bytes.NewReader(data))
			return nil
		}
		if strings.HasPrefix(name, "api/") {
			return problem(http.StatusNotFound, wire.ProblemNotFound, "there is no such call; the API is described at /api/v1/openapi.yaml")
		}
		if err != nil {
			return problem(http.StatusNotFound, wire.ProblemNotFound, "this program was built without its console; make build makes one with it")
		}
		if name != "" && strings.Contains(path.Base(name), ".") {
			return problem(http.StatusNotFound, wire.ProblemNotFound, "there is no such page")
		}
		c.Response().Header().Set("Cache-Control", "no-cache")
		return c.HTMLBlob(http.StatusOK, index)
	})
}
