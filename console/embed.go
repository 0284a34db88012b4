// Package console holds the built web console.
//
//	err := console.Answer(w, r)
package console

import (
	"bytes"
	"embed"
	"errors"
	"io/fs"
	"mime"
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
const Security = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; " +
	"frame-ancestors 'none'; base-uri 'none'; form-action 'self'"

// Assets is where the files lie that are sent compressed as they were built: nothing else
// need compress them.
const Assets = "/assets/"

// compressed is a file as it lies compressed beside itself, in a coding that the client
// accepts (RFC 9110, 12.5.3); nil if it does not.
func compressed(files fs.FS, name, accepted string) (coding string, data []byte) {
	for _, c := range []struct{ coding, ending string }{{"br", ".br"}, {"gzip", ".gz"}} {
		if !accepts(accepted, c.coding) {
			continue
		}
		if data, err := fs.ReadFile(files, name+c.ending); err == nil {
			return c.coding, data
		}
	}
	return "", nil
}

func accepts(header, coding string) bool {
	for part := range strings.SplitSeq(header, ",") {
		name, weight, _ := strings.Cut(strings.TrimSpace(part), ";")
		if strings.EqualFold(strings.TrimSpace(name), coding) {
			q := strings.ReplaceAll(weight, " ", "")
			return q != "q=0" && !strings.HasPrefix(q, "q=0.000") && q != "q=0.0" && q != "q=0.00"
		}
	}
	return false
}

// Answer answers a request for one of its files; any other address is one of its
// pages and gets the page frame.
func Answer(w http.ResponseWriter, r *http.Request) error {
	files := Files()
	name := strings.TrimPrefix(path.Clean("/"+r.URL.Path), "/")
	if data, err := fs.ReadFile(files, name); err == nil && name != "index.html" {
		if strings.HasPrefix(name, "assets/") { // their names change with their content
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		if coding, packed := compressed(files, name, r.Header.Get("Accept-Encoding")); packed != nil {
			data = packed
			w.Header().Set("Content-Encoding", coding)
			w.Header().Set("Content-Type", mime.TypeByExtension(path.Ext(name)))
		}
		w.Header().Add("Vary", "Accept-Encoding")
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
