package published_test

import (
	"archive/zip"
	"context"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/manifest"
	"endroit/publication"
	"endroit/published"
)

// publisher publishes revisions into a tree in memory.
type publisher struct {
	t         *testing.T
	keys      string // the folder
	root      []*publication.Key
	tree      map[string][]byte
	revision  int
	timestamp int64
	now       time.Time
}

func newPublisher(t *testing.T, roots, threshold int) *publisher {
	p := &publisher{t: t, keys: filepath.Join(t.TempDir(), "keys"), tree: map[string][]byte{}, now: time.Now()}
	for range roots {
		k, err := publication.NewKey()
		require.NoError(t, err)
		p.root = append(p.root, k)
	}
	require.NoError(t, publication.Make(p.keys, publication.Plan{Name: "The Harrow Lane record", Root: p.root, Threshold: threshold}, p.now))
	return p
}

func (p *publisher) signer() *publication.Signer {
	s, err := publication.Open(p.keys)
	require.NoError(p.t, err)
	return s
}

// publish adds a revision with these titles.
func (p *publisher) publish(titles ...string) *published.Head {
	var docs [][]byte
	slices.Sort(titles)
	for _, id := range titles {
		doc, err := manifest.Canonical(manifest.Title{ID: id, Name: "Tidewrack " + id[:2], Variants: []manifest.Variant{}})
		require.NoError(p.t, err)
		docs = append(docs, doc)
	}
	_, shard, err := manifest.WriteShard(manifest.AllTitles, docs)
	require.NoError(p.t, err)
	sheets, err := manifest.WriteSheets(nil)
	require.NoError(p.t, err)
	return p.files(map[string][]byte{published.ShardName(manifest.AllTitles): shard, published.SheetsName: sheets}, len(titles))
}

func (p *publisher) files(contents map[string][]byte, titles int) *published.Head {
	s := p.signer()
	p.revision++
	files := map[string]published.File{}
	for name, data := range contents {
		files[name] = published.FileOf(data)
		p.tree[published.FilePath(name, files[name])] = data
	}
	h := published.Head{Format: manifest.Format, Revision: p.revision, Published: p.now.UTC().Truncate(time.Second), Titles: titles}
	signed, err := s.Revision(h, files, p.now)
	require.NoError(p.t, err)
	p.tree[published.TargetsPath(p.revision)], p.tree[published.SnapshotPath(p.revision)] = signed.Targets, signed.Snapshot
	p.stamp(s, signed.Snapshot)
	return &h
}

func (p *publisher) stamp(s *publication.Signer, snapshot []byte) {
	p.timestamp++
	raw, _, err := s.Timestamp(p.timestamp, p.revision, snapshot, p.now)
	require.NoError(p.t, err)
	p.tree[published.TimestampPath] = raw
	maps.Copy(p.tree, s.Roots())
}

// at is a source with the tree as it is now.
func (p *publisher) at() *fake { return &fake{tree: maps.Clone(p.tree)} }

type fake struct {
	tree map[string][]byte
	read []string
	time time.Time
	fail error
}

func (f *fake) String() string   { return "the mirror" }
func (f *fake) Clock() time.Time { return f.time }

func (f *fake) Get(_ context.Context, path string, most int64) ([]byte, error) {
	f.read = append(f.read, path)
	if f.fail != nil {
		return nil, f.fail
	}
	data, ok := f.tree[path]
	switch {
	case !ok:
		return nil, published.ErrAbsent
	case int64(len(data)) > most:
		return nil, published.ErrLarge
	}
	return data, nil
}

// trusting is a state that trusts a publisher.
func trusting(t *testing.T, p *publisher) *published.State {
	s := published.Open(filepath.Join(t.TempDir(), "trust"))
	_, err := s.Trusted()
	require.ErrorIs(t, err, published.ErrNoTrust)
	first, err := published.FirstRoot(t.Context(), p.at())
	require.NoError(t, err)
	assert.Equal(t, "The Harrow Lane record", first.Name)
	assert.Equal(t, p.signer().Fingerprint(), first.Fingerprint)
	require.NoError(t, s.Trust(first))
	return s
}

const one, two = "0123456789abcdef", "fedcba9876543210"

func TestRefreshMovesWhatChangedAlone(t *testing.T) {
	p := newPublisher(t, 1, 1)
	p.publish(one)
	s := trusting(t, p)
	from := p.at()
	news, err := s.Refresh(t.Context(), from)
	require.NoError(t, err)
	assert.Equal(t, 1, news.Revision)
	assert.Equal(t, []string{"metadata/2.root.json", "metadata/timestamp.json", "metadata/1.snapshot.json", "metadata/1.targets.json"}, from.read)
	data, err := news.Get(t.Context(), published.ShardName(manifest.AllTitles))
	require.NoError(t, err)
	shard, err := manifest.ReadShard(manifest.AllTitles, data)
	require.NoError(t, err)
	assert.Equal(t, one, shard.Titles[0].ID)

	again := p.at()
	_, err = s.Refresh(t.Context(), again)
	require.NoError(t, err)
	assert.Len(t, again.read, 2, "nothing new takes two requests")

	p.publish(one, two)
	news, err = s.Refresh(t.Context(), p.at())
	require.NoError(t, err)
	assert.Equal(t, 2, news.Revision)
	assert.Equal(t, 2, news.Titles)
}

// Where nothing is new two requests tell it, without reading what was read before; anything
// else is for the whole workflow to tell.
func TestUnchanged(t *testing.T) {
	p := newPublisher(t, 1, 1)
	p.publish(one)
	s := trusting(t, p)
	_, same := s.Unchanged(t.Context(), p.at())
	assert.False(t, same, "nothing was believed yet")
	_, err := s.Refresh(t.Context(), p.at())
	require.NoError(t, err)
	from := p.at()
	revision, same := s.Unchanged(t.Context(), from)
	assert.True(t, same)
	assert.Equal(t, 1, revision)
	assert.Equal(t, []string{"metadata/2.root.json", "metadata/timestamp.json"}, from.read)

	assert.Empty(t, s.ClockNote(p.now))
	s.Now = func() time.Time { return p.now.AddDate(-2, 0, 0) }
	assert.Contains(t, s.ClockNote(p.now), "a clock that is behind", "that nothing is new does not hide it")
	s.Now = func() time.Time { return p.now.AddDate(1, 0, 0) }
	_, same = s.Unchanged(t.Context(), p.at())
	assert.False(t, same, "it has expired")
	s.Now = time.Now
	for what, spoil := range map[string]func(f *fake){
		"another timestamp": func(f *fake) {
			f.tree[published.TimestampPath] = append(slices.Clone(f.tree[published.TimestampPath]), ' ')
		},
		"a further root": func(f *fake) { f.tree[published.RootPath(2)] = []byte("{}") },
		"no timestamp":   func(f *fake) { delete(f.tree, published.TimestampPath) },
		"out of reach":   func(f *fake) { f.fail = io.ErrUnexpectedEOF },
	} {
		from := p.at()
		spoil(from)
		_, same := s.Unchanged(t.Context(), from)
		assert.False(t, same, what)
	}

	p.publish(one, two)
	from = p.at()
	once := published.Remember(from)
	_, same = s.Unchanged(t.Context(), once)
	assert.False(t, same)
	news, err := s.Refresh(t.Context(), once)
	require.NoError(t, err)
	assert.Equal(t, 2, news.Revision)
	assert.Len(t, from.read, 4, "nothing is read twice: %v", from.read)
	revision, same = s.Unchanged(t.Context(), p.at())
	assert.True(t, same)
	assert.Equal(t, 2, revision)
	p.stamp(p.signer(), p.tree[published.SnapshotPath(2)])
	once = published.Remember(p.at())
	_, same = s.Unchanged(t.Context(), once)
	assert.False(t, same, "signed again")
	_, err = s.Refresh(t.Context(), once)
	require.NoError(t, err)
	older := p.at()
	older.tree[published.TimestampPath] = from.tree[published.TimestampPath]
	once = published.Remember(older)
	_, same = s.Unchanged(t.Context(), once)
	assert.False(t, same)
	_, err = s.Refresh(t.Context(), once)
	assert.Equal(t, published.Older, cause(t, err))
}

// cause is why a refresh was refused.
func cause(t *testing.T, err error) published.Cause {
	t.Helper()
	var r *published.Refusal
	require.ErrorAs(t, err, &r)
	assert.NotContains(t, r.Error(), "%!")
	return r.Cause
}

func TestRefusals(t *testing.T) {
	for name, c := range map[string]struct {
		want  published.Cause
		spoil func(p *publisher, s *published.State) *fake
	}{
		"signed by unknown keys": {published.Unsigned, func(p *publisher, _ *published.State) *fake {
			other := newPublisher(p.t, 1, 1)
			other.publish(one)
			other.publish(one)
			return other.at()
		}},
		"signed by a revoked key": {published.Unsigned, func(p *publisher, s *published.State) *fake {
			old := p.signer()
			require.NoError(p.t, publication.Renew(p.keys, publication.Change{Rotate: "timestamp"}, p.root, p.now))
			maps.Copy(p.tree, p.signer().Roots())
			p.timestamp++
			raw, _, err := old.Timestamp(p.timestamp, 1, p.tree[published.SnapshotPath(1)], p.now)
			require.NoError(p.t, err)
			p.tree[published.TimestampPath] = raw
			return p.at()
		}},
		"a replayed timestamp": {published.Older, func(p *publisher, s *published.State) *fake {
			old := p.tree[published.TimestampPath]
			p.publish(one, two)
			_, err := s.Refresh(p.t.Context(), p.at())
			require.NoError(p.t, err)
			p.tree[published.TimestampPath] = old
			return p.at()
		}},
		"frozen": {published.Expired, func(p *publisher, s *published.State) *fake {
			s.Now = func() time.Time { return p.now.Add(45 * 24 * time.Hour) }
			return p.at()
		}},
		"the root expired": {published.Expired, func(p *publisher, s *published.State) *fake {
			s.Now = func() time.Time { return p.now.Add(500 * 24 * time.Hour) }
			return p.at()
		}},
		"the clock is years off": {published.Clock, func(p *publisher, s *published.State) *fake {
			s.Now = func() time.Time { return p.now.Add(3 * 365 * 24 * time.Hour) }
			from := p.at()
			from.time = p.now
			return from
		}},
		"a snapshot of other targets": {published.Mixed, func(p *publisher, s *published.State) *fake {
			p.publish(one, two)
			p.tree[published.TargetsPath(2)] = p.tree[published.TargetsPath(1)]
			return p.at()
		}},
		"an unsigned snapshot": {published.Mixed, func(p *publisher, s *published.State) *fake {
			p.publish(one, two)
			p.tree[published.SnapshotPath(2)] = []byte(strings.Replace(string(p.tree[published.SnapshotPath(2)]), `"version":2`, `"version":3`, 1))
			return p.at()
		}},
		"a file is missing": {published.Cut, func(p *publisher, s *published.State) *fake {
			p.publish(one, two)
			delete(p.tree, published.SnapshotPath(2))
			return p.at()
		}},
		"no timestamp": {published.Cut, func(p *publisher, s *published.State) *fake { return &fake{} }},
		"an error page": {published.Changed, func(p *publisher, s *published.State) *fake {
			p.tree[published.TimestampPath] = []byte("<html>Sorry</html>")
			return p.at()
		}},
		"an error page for every address": {published.Changed, func(p *publisher, s *published.State) *fake {
			p.tree[published.RootPath(2)] = []byte("<html>Sorry</html>")
			return p.at()
		}},
		"a timestamp without end": {published.Larger, func(p *publisher, s *published.State) *fake {
			p.tree[published.TimestampPath] = make([]byte, 1<<20)
			return p.at()
		}},
		"a snapshot larger than announced": {published.Larger, func(p *publisher, s *published.State) *fake {
			p.publish(one, two)
			p.tree[published.SnapshotPath(2)] = append(p.tree[published.SnapshotPath(2)], ' ')
			return p.at()
		}},
		"shards that leave titles out": {published.Invalid, func(p *publisher, s *published.State) *fake {
			p.files(map[string][]byte{published.ShardName("0"): []byte("x")}, 1)
			return p.at()
		}},
		"nobody answers": {published.Unreachable, func(*publisher, *published.State) *fake { return &fake{fail: io.ErrClosedPipe} }},
	} {
		t.Run(name, func(t *testing.T) {
			p := newPublisher(t, 1, 1)
			p.publish(one)
			s := trusting(t, p)
			_, err := s.Refresh(t.Context(), p.at())
			require.NoError(t, err)
			good := p.at()
			bad := c.spoil(p, s)
			_, err = s.Refresh(t.Context(), bad)
			assert.Equal(t, c.want, cause(t, err))
			s.Now = time.Now
			if c.want == published.Older {
				good = nil // a newer revision was believed
			}
			if good != nil {
				news, err := s.Refresh(t.Context(), bad, good)
				require.NoError(t, err, "what is trusted stays as it was, and the next source is asked")
				assert.Equal(t, 1, news.Revision)
			}
		})
	}
}

func TestFilesThatAreNotAsAnnounced(t *testing.T) {
	p := newPublisher(t, 1, 1)
	p.publish(one)
	s := trusting(t, p)
	from := p.at()
	name := published.ShardName(manifest.AllTitles)
	news, err := s.Refresh(t.Context(), from)
	require.NoError(t, err)
	path := published.FilePath(name, news.Files[name])
	whole := from.tree[path]
	for what, c := range map[string]struct {
		data []byte
		want published.Cause
	}{
		"cut":     {whole[:len(whole)-1], published.Cut},
		"longer":  {append(slices.Clone(whole), 0), published.Larger},
		"changed": {append(slices.Clone(whole[:len(whole)-1]), whole[len(whole)-1]^1), published.Changed},
	} {
		from.tree[path] = c.data
		_, err := news.Get(t.Context(), name)
		assert.Equal(t, c.want, cause(t, err), what)
	}
	delete(from.tree, path)
	_, err = news.Get(t.Context(), name)
	assert.Equal(t, published.Cut, cause(t, err))
	news, err = s.Refresh(t.Context(), from, p.at())
	require.NoError(t, err)
	got, err := news.Get(t.Context(), name)
	require.NoError(t, err, "another source has it")
	assert.Equal(t, whole, got)
}

// The root can change as often as is wanted, and who trusted the first one follows.
func TestRootsAreFollowed(t *testing.T) {
	p := newPublisher(t, 3, 2)
	p.publish(one)
	s := trusting(t, p)
	for _, role := range publication.OnlineRoles {
		require.NoError(t, publication.Renew(p.keys, publication.Change{Rotate: role}, p.root[:2], p.now))
	}
	extra, err := publication.NewKey()
	require.NoError(t, err)
	assert.ErrorContains(t, publication.Renew(p.keys, publication.Change{AddRoot: []*publication.Key{extra}}, p.root[:1], p.now), "2 of the present root keys have to sign")
	require.NoError(t, publication.Renew(p.keys, publication.Change{AddRoot: []*publication.Key{extra}}, p.root[1:], p.now))
	require.NoError(t, publication.Renew(p.keys, publication.Change{Revoke: p.root[0].ID()}, []*publication.Key{extra, p.root[1]}, p.now))
	p.publish(one, two)
	news, err := s.Refresh(t.Context(), p.at())
	require.NoError(t, err)
	assert.Equal(t, 2, news.Revision)
	list, err := publication.List(p.keys)
	require.NoError(t, err)
	assert.Equal(t, int64(6), list.Version)
	assert.Len(t, list.Keys, 6)
	assert.Empty(t, list.Missing)
	first, err := s.Trusted()
	require.NoError(t, err)
	assert.Equal(t, list.Fingerprint, first.Fingerprint, "the fingerprint stays that of the first root")

	forged := newPublisher(t, 1, 1)
	roots := forged.signer().Roots()
	from := p.at()
	from.tree[published.RootPath(7)] = roots[published.RootPath(1)]
	_, err = s.Refresh(t.Context(), from)
	assert.Contains(t, []published.Cause{published.Unsigned, published.Mixed}, cause(t, err))
}

func TestAnotherPublicationIsNotTrustedInPlace(t *testing.T) {
	p := newPublisher(t, 1, 1)
	p.publish(one)
	s := trusting(t, p)
	other := newPublisher(t, 1, 1)
	other.publish(one)
	root, err := published.FirstRoot(t.Context(), other.at())
	require.NoError(t, err)
	assert.ErrorContains(t, s.Trust(root), "another publication is trusted already: The Harrow Lane record")
	_, err = published.ParseRoot([]byte(strings.Replace(string(other.tree[published.RootPath(1)]), "Harrow", "Barrow", 1)))
	assert.ErrorContains(t, err, "not signed by its own keys")
}

// The same tree is read from a web server, a folder and an archive.
func TestSources(t *testing.T) {
	p := newPublisher(t, 1, 1)
	p.publish(one)
	folder := t.TempDir()
	require.NoError(t, os.CopyFS(folder, memory(p.tree)))
	archive := filepath.Join(t.TempDir(), "stick.zip")
	f, err := os.Create(archive)
	require.NoError(t, err)
	z := zip.NewWriter(f)
	require.NoError(t, z.AddFS(os.DirFS(folder)))
	require.NoError(t, z.Close())
	require.NoError(t, f.Close())
	server := httptest.NewServer(http.FileServer(http.Dir(folder)))
	defer server.Close()
	for _, address := range []string{folder, archive, server.URL, server.URL + "/"} {
		from, closer, err := published.At(address)
		require.NoError(t, err, address)
		news, err := trusting(t, p).Refresh(t.Context(), from)
		require.NoError(t, err, address)
		_, err = news.Get(t.Context(), published.SheetsName)
		require.NoError(t, err, address)
		require.NoError(t, closer.Close())
		_, err = from.Get(t.Context(), "../published_test.go", 1<<20)
		assert.Error(t, err)
	}
	_, _, err = published.At(filepath.Join(folder, "nowhere"))
	assert.ErrorContains(t, err, "neither an address")
	_, _, err = published.At(filepath.Join(folder, "metadata", "timestamp.json"))
	assert.ErrorContains(t, err, "not a zip archive")

	bad := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { http.Error(w, "no", http.StatusBadGateway) }))
	defer bad.Close()
	from, _, err := published.At(bad.URL)
	require.NoError(t, err)
	_, err = trusting(t, p).Refresh(t.Context(), from)
	assert.Equal(t, published.Unreachable, cause(t, err))
	assert.ErrorContains(t, err, "502 Bad Gateway")
}

// A server that is slow, stops in the middle, sends an error page or something else each
// time is told of in plain words, and the next source serves in its place.
func TestServersThatMisbehave(t *testing.T) {
	p := newPublisher(t, 1, 1)
	p.publish(one)
	answer := map[string]func(w http.ResponseWriter, r *http.Request, data []byte){
		"never": func(_ http.ResponseWriter, r *http.Request, _ []byte) { <-r.Context().Done() },
		"a byte at a time": func(w http.ResponseWriter, r *http.Request, data []byte) {
			for _, b := range data {
				_, _ = w.Write([]byte{b})
				_ = http.NewResponseController(w).Flush()
				select {
				case <-r.Context().Done():
					return
				case <-time.After(5 * time.Millisecond):
				}
			}
		},
		"in part": func(w http.ResponseWriter, _ *http.Request, data []byte) {
			w.Header().Set("Content-Length", fmt.Sprint(len(data)))
			_, _ = w.Write(data[:len(data)/2])
		},
		"an error page": func(w http.ResponseWriter, _ *http.Request, _ []byte) {
			fmt.Fprint(w, "<html><body>Please sign in to this network</body></html>")
		},
		"other bytes each time": func(w http.ResponseWriter, _ *http.Request, data []byte) {
			_, _ = w.Write(append(slices.Clone(data[:len(data)-1]), byte(time.Now().UnixNano())|0x80))
		},
		"without end": func(w http.ResponseWriter, r *http.Request, data []byte) {
			for r.Context().Err() == nil {
				if _, err := w.Write(data); err != nil {
					return
				}
			}
		},
	}
	for how, c := range map[string]struct {
		cause published.Cause
		says  string
	}{
		"never":                 {published.Unreachable, "too slowly"},
		"a byte at a time":      {published.Unreachable, "too slowly"},
		"in part":               {published.Cut, "ends too early"},
		"an error page":         {published.Changed, "perhaps an error page"},
		"other bytes each time": {published.Changed, "not a publication's metadata"},
		"without end":           {published.Larger, "larger than announced"},
	} {
		t.Run(how, func(t *testing.T) {
			server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				data, there := p.tree[strings.TrimPrefix(r.URL.Path, "/")]
				if !there {
					http.NotFound(w, r)
					return
				}
				answer[how](w, r, data)
			}))
			defer server.CloseClientConnections()
			from, _, err := published.At(server.URL)
			require.NoError(t, err)
			published.Hasten(from, 300*time.Millisecond)
			s := trusting(t, p)
			_, err = s.Refresh(t.Context(), from)
			assert.Equal(t, c.cause, cause(t, err), "%v", err)
			assert.ErrorContains(t, err, c.says)
			assert.NotContains(t, err.Error(), "context deadline")
			news, err := s.Refresh(t.Context(), from, p.at())
			require.NoError(t, err)
			_, err = news.Get(t.Context(), published.SheetsName)
			assert.NoError(t, err)
		})
	}
}

// memory is a tree in a form that can be copied to a folder.
func memory(tree map[string][]byte) memoryFS {
	return memoryFS{tree}
}

func TestNames(t *testing.T) {
	f := published.FileOf([]byte("x"))
	assert.Equal(t, "targets/titles/"+f.Digest()+".01.zst", published.FilePath(published.ShardName("01"), f))
	assert.Equal(t, "targets/"+f.Digest()+".sheets.zst", published.FilePath(published.SheetsName, f))
	for name, shard := range map[string]string{"titles/01.zst": "01", "titles/all.zst": "all", "titles/.zst": "", "titles/2.zst": "", "sheets.zst": "", "titles/../0.zst": ""} {
		assert.Equal(t, shard, published.ShardIn(name), name)
	}
	assert.Equal(t, "metadata/3.root.json", fmt.Sprint(published.RootPath(3)))
}
