package published

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/url"
	"os"
	"strings"
	"sync/atomic"
	"time"
)

// Source is somewhere that the published tree lies.
type Source interface {
	// Get reads a file, of so many bytes at most. The error is ErrAbsent where there is
	// none, and ErrLarge where it is larger.
	Get(ctx context.Context, path string, most int64) ([]byte, error)
	// Clock is what time it is there; zero where it does not tell.
	Clock() time.Time
	String() string
}

// Errors of sources.
var (
	ErrAbsent = errors.New("the file is not there")
	ErrLarge  = errors.New("the file is larger than announced")
)

// At is the source at an address: the published tree on a web server, a folder, or a zip
// archive of the folder. It has to be closed.
func At(address string) (Source, io.Closer, error) {
	if u, err := url.Parse(address); err == nil && (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" {
		return &web{base: strings.TrimSuffix(address, "/") + "/", client: newClient(), patience: beginWithin}, io.NopCloser(nil), nil
	}
	info, err := os.Stat(address)
	switch {
	case err != nil:
		return nil, nil, fmt.Errorf("%s is neither an address that begins with http:// or https:// nor a folder or archive: %w", address, err)
	case info.IsDir():
		root, err := os.OpenRoot(address)
		if err != nil {
			return nil, nil, err
		}
		return &tree{address, root.FS()}, root, nil
	}
	z, err := zip.OpenReader(address)
	if err != nil {
		return nil, nil, fmt.Errorf("%s is not a zip archive: %w", address, err)
	}
	return &tree{address, z}, z, nil
}

// tree is a folder, or an archive of one.
type tree struct {
	name string
	fs   fs.FS
}

func (t *tree) String() string   { return t.name }
func (t *tree) Clock() time.Time { return time.Time{} }

func (t *tree) Get(ctx context.Context, path string, most int64) ([]byte, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	f, err := t.fs.Open(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, ErrAbsent
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return readAll(f, most)
}

func readAll(in io.Reader, most int64) ([]byte, error) {
	data, err := io.ReadAll(io.LimitReader(in, most+1))
	if err == nil && int64(len(data)) > most {
		err = ErrLarge
	}
	return data, err
}

// web is a tree on a web server.
type web struct {
	base     string
	client   *http.Client
	patience time.Duration // for an answer to begin; on top comes the time for what is read
	date     atomic.Int64  // what the server's clock said last, less ours, in nanoseconds; 0 if never
}

// How long a server may take: to begin an answer, and for all of it with a slow line.
const (
	beginWithin = 20 * time.Second
	slowest     = 16 << 10 // bytes in a second
)

func newClient() *http.Client {
	return &http.Client{Transport: &http.Transport{
		Proxy:                 http.ProxyFromEnvironment,
		ForceAttemptHTTP2:     true,
		TLSHandshakeTimeout:   beginWithin,
		ResponseHeaderTimeout: beginWithin,
		IdleConnTimeout:       time.Minute,
		MaxIdleConnsPerHost:   16,
		DisableCompression:    true, // what is announced is the length of the file
	}}
}

func (w *web) String() string { return strings.TrimSuffix(w.base, "/") }

func (w *web) Clock() time.Time {
	if d := w.date.Load(); d != 0 {
		return time.Now().Add(time.Duration(d))
	}
	return time.Time{}
}

// StatusError is an answer that is no file.
type StatusError struct{ Status string }

func (e *StatusError) Error() string { return "the server answered " + e.Status }

func (w *web) Get(ctx context.Context, path string, most int64) ([]byte, error) {
	ctx, cancel := context.WithTimeout(ctx, w.patience+time.Duration(most/slowest)*time.Second)
	defer cancel()
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, w.base+path, nil)
	if err != nil {
		return nil, err
	}
	answer, err := w.client.Do(request)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	if at, err := http.ParseTime(answer.Header.Get("Date")); err == nil {
		w.date.Store(int64(time.Until(at)))
	}
	switch answer.StatusCode {
	case http.StatusOK:
		return readAll(answer.Body, most)
	case http.StatusNotFound, http.StatusForbidden, http.StatusGone: // object stores forbid what is not there
		return nil, ErrAbsent
	}
	return nil, &StatusError{answer.Status}
}
