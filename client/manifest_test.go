package client

import (
	"compress/gzip"
	"errors"
	"io"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/service/wire"
)

// zipped answers with a body in gzip.
func zipped(w http.ResponseWriter, body io.Reader) {
	w.Header().Set("Content-Encoding", "gzip")
	w.Header().Set("ETag", `W/"abc"`)
	z := gzip.NewWriter(w)
	_, _ = io.Copy(z, body)
	_ = z.Close()
}

type endless struct{}

func (endless) Read(p []byte) (int, error) { clear(p); return len(p), nil }

// What unfolds without end is not unfolded, nothing is asked for twice, and it is no
// matter of the connection.
func TestManifestDecompressionBomb(t *testing.T) {
	var tries atomic.Int32
	c := to(t, func(w http.ResponseWriter, _ *http.Request) {
		tries.Add(1)
		zipped(w, io.LimitReader(endless{}, 1<<30))
	})
	got := int64(0)
	_, _, err := c.Manifest(t.Context(), "", 1<<40, func(_ string, body io.Reader) (err error) {
		got, err = io.Copy(io.Discard, body)
		return err
	})
	assert.ErrorIs(t, err, ErrUnfolds)
	assert.NotErrorIs(t, err, ErrUnreachable)
	assert.Less(t, got, int64(20<<20))
	assert.EqualValues(t, 1, tries.Load())

	_, _, err = c.Manifest(t.Context(), "", 1000, func(_ string, body io.Reader) (err error) { got, err = io.Copy(io.Discard, body); return err })
	assert.ErrorContains(t, err, "larger than 1000 bytes")
	assert.EqualValues(t, 2, tries.Load())

	mine := errors.New("that is no manifest")
	_, _, err = c.Manifest(t.Context(), "", 1000, func(string, io.Reader) error { return mine })
	assert.Equal(t, mine, err)
	assert.EqualValues(t, 3, tries.Load())
}

// A connection that ends in the middle is another matter.
func TestAManifestIsAskedForAgain(t *testing.T) {
	var tries atomic.Int32
	text := strings.Repeat("all of it ", 1000)
	c := to(t, func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, `"before"`, r.Header.Get("If-None-Match"))
		if tries.Add(1) < 3 {
			w.Header().Set("ETag", `"abc"`)
			w.Header().Set("Content-Length", "10000")
			_, _ = io.WriteString(w, text[:5000])
			w.(http.Flusher).Flush()
			dropped(w)
			return
		}
		zipped(w, strings.NewReader(text))
	})
	var bodies []string
	digest, changed, err := c.Manifest(t.Context(), "before", 1<<20, func(_ string, body io.Reader) error {
		all, err := io.ReadAll(body)
		bodies = append(bodies, string(all))
		return err
	})
	require.NoError(t, err)
	assert.True(t, changed)
	assert.Equal(t, "abc", digest)
	require.Len(t, bodies, 3)
	assert.Equal(t, text, bodies[2], "from its beginning")
}

func TestAManifestThatIsNotNew(t *testing.T) {
	c := to(t, func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("ETag", `"abc"`)
		w.WriteHeader(http.StatusNotModified)
	})
	digest, changed, err := c.Manifest(t.Context(), "abc", 1<<20, func(string, io.Reader) error { return errors.New("there is none") })
	require.NoError(t, err)
	assert.False(t, changed)
	assert.Equal(t, "abc", digest)
	// A problem is reported, in gzip as well.
	c = to(t, func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.Header().Set("Content-Encoding", "gzip")
		w.WriteHeader(http.StatusTooManyRequests)
		z := gzip.NewWriter(w)
		_, _ = io.WriteString(z, `{"type":"too-often","title":"too often","detail":"wait"}`)
		_ = z.Close()
	})
	_, _, err = c.Manifest(t.Context(), "", 1<<20, func(string, io.Reader) error { return nil })
	var p *wire.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, "wait", p.Detail)
}
