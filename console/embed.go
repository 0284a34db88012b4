// Package console holds the built web console.
//
//	err := console.Answer(w, r)
package console

import (
	"bytes"
	"embed"
	"errors"
	"io/fs"
	"net/http"
	"path"
	"strings"
	"time"
)

//go:embed all:dist
var dist embed.FS

// Files are the console's files, with index.html at the top; none if the program
// was built without them.
func Files() fs.FS {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded at build
	}
	return files
}

// What Answer cannot answer.
var (
	ErrNotBuilt = errors.New("this program was built without its console; make build makes one with it")
	ErrNoPage   = errors.New("there is no such page")
)

// Security is the content security policy that its pages keep to.
const Security = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'"

// Answer answers a request for one of its files; any other address is one of its
// pages and gets the page frame.
func Answer(w http.ResponseWriter, r *http.Request) error {
	files := Files()
	name := strings.TrimPrefix(path.Clean("/"+r.URL.Path), "/")
	if data, err := fs.ReadFile(files, name); err == nil && name != "index.html" {
		if strings.HasPrefix(name, "assets/") { // their names change with their content
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		http.ServeContent(w, r, name, time.Time{}, bytes.NewReader(data))
		return nil
	}
	index, err := fs.ReadFile(files, "index.html")
	switch {
	case err != nil:
		return ErrNotBuilt
	case name != "" && strings.Contains(path.Base(name), "."):
		return ErrNoPage
	}
	w.Header().Set("Cache-Control", "no-cache")
	w.Header().Set("Content-Type", "text/html; charset=UTF-8")
	_, err = w.Write(index)
	return err
}
