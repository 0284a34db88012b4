// Package endroit holds the rules of the house: which package may use which.
package endroit

import (
	"encoding/json"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/core/trace"
	"endroit/service/wire"
	"endroit/tracefiles"
)

// The packages of the standard library that core may use: they compute, and
// reach neither files, network, clock nor processes by themselves.
var pure = []string{"bufio", "bytes", "cmp", "context", "crypto/md5", "crypto/sha1", "crypto/sha256", "crypto/sha512", "encoding/", "errors", "fmt", "hash", "hash/", "io", "iter", "maps", "math", "math/bits", "path", "reflect", "regexp", "slices", "sort", "strconv", "strings", "sync", "sync/atomic", "golang.org/x/sync/errgroup", "time", "unicode", "unicode/utf16", "unicode/utf8", "archive/zip", "compress/", "debug/elf"}

// Small libraries that compute.
var pureLibraries = []string{"github.com/coregx/ahocorasick", "github.com/klauspost/compress/zstd", "github.com/goccy/go-yaml", "go.yaml.in/yaml/v4", "github.com/gowebpki/jcs", "github.com/go-json-experiment/json", "github.com/agnivade/levenshtein", "golang.org/x/text/", "github.com/dustin/go-humanize", "github.com/mattn/go-runewidth", "github.com/theory/jsonpath", "github.com/BurntSushi/toml"}

func within(path string, list []string) bool {
	for _, p := range list {
		if path == p || strings.HasSuffix(p, "/") && strings.HasPrefix(path, p) || strings.HasPrefix(path, p+"/") && strings.Contains(p, ".") {
			return true
		}
	}
	return false
}

type pkg struct {
	ImportPath string
	Doc        string
	Imports    []string
}

func packages(t *testing.T) (all []pkg) {
	t.Helper()
	out, err := exec.Command("go", "list", "-json=ImportPath,Doc,Imports", "./...").Output()
	require.NoError(t, err)
	d := json.NewDecoder(strings.NewReader(string(out)))
	for d.More() {
		var p pkg
		require.NoError(t, d.Decode(&p))
		all = append(all, p)
	}
	require.Greater(t, len(all), 20)
	return all
}

// arrows are the packages that a package may use, beside core and itself. Those below a
// folder that is not named with them follow the folder's row; cli and standin may use all.
var arrows = map[string][]string{
	"capture":             {"capture/companion/started"},
	"capture/calls":       {"capture", "capture/"},
	"capture/cues":        {"capture", "capture/sampling"},
	"capture/processes":   {"capture"},
	"capture/sampling":    {"capture", "capture/versions"},
	"capture/system":      {"capture", "capture/cues", "capture/processes", "capture/sampling", "capture/versions"},
	"capture/versions":    {"capture"},
	"capture/watch":       {"capture", "capture/cues", "capture/sampling", "capture/versions"},
	"capture/companion":   {"capture/companion/started"}, // it starts before all others
	"capture/capturetest": {"capture"},
	"childproc":           {},
	"copies":              {"copies/", "locate", "machine", "parallel", "registry", "safefile"},
	"copies/disk":         {},
	"copies/keeping":      {},
	"copies/journal":      {"copies/disk", "parallel", "registry", "safefile"},
	"client":              {"service/wire"},
	"identify":            {"localmanifest", "machine"},
	"localmanifest":       {"parallel", "published", "safefile"},
	"publication":         {"published", "safefile"},
	"published":           {"published", "safefile"},
	"localpg":             {"childproc", "localpg"},
	"locate":              {"localmanifest", "machine", "parallel", "safefile"},
	"machine":             {"parallel", "safefile"},
	"parallel":            {},
	"programfiles":        {},
	"registry":            {"machine", "safefile"},
	"running":             {"machine"},
	"safefile":            {},
	"service":             {"service/", "console", "publication", "published", "safefile"},
	"tracefiles":          {"capture", "capture/versions", "safefile"},
	"trial":               {"machine"},
	"workbench":           {"capture/versions", "console", "localmanifest", "machine", "programfiles", "safefile", "service/answer", "service/wire", "tracefiles"},
}

// room is the row of arrows that a package follows.
func room(from string) string {
	for {
		if _, ok := arrows[from]; ok {
			return from
		}
		up := strings.LastIndexByte(from, '/')
		if up < 0 {
			return from
		}
		from = from[:up]
	}
}

func TestTheArrowsPointInwards(t *testing.T) {
	for _, p := range packages(t) {
		from := strings.TrimPrefix(p.ImportPath, "endroit/")
		for _, imported := range p.Imports { // not those of tests
			to, own := strings.CutPrefix(imported, "endroit/")
			if strings.HasPrefix(from, "core/") {
				assert.True(t, own && strings.HasPrefix(to, "core/") || within(imported, pure) || within(imported, pureLibraries), "%s uses %s: core computes and nothing else", from, imported)
			}
			if !own {
				continue
			}
			// The measurements fill the database by themselves.
			assert.False(t, to == "service/store" && !strings.HasPrefix(from, "service") && from != "standin/bench", "%s uses service/store", from)
			if allowed, bound := arrows[room(from)]; bound {
				assert.True(t, strings.HasPrefix(to, "core/") || within(to, allowed), "%s uses %s", from, to)
			}
			assert.False(t, strings.HasPrefix(to, "standin/") && !strings.HasPrefix(from, "standin/"), "%s uses the stand-in %s", from, to)
		}
	}
}

// The documents say what the tables in the code say.
func TestDocumentationMatchesTheProgram(t *testing.T) {
	read := func(name string) string {
		text, err := os.ReadFile(name)
		require.NoError(t, err)
		return string(text)
	}
	locations := read("docs/locations.md")
	for _, d := range place.Definitions {
		assert.Contains(t, locations, "| `"+string(d.Anchor)+"` | "+d.Linux+" | "+d.Windows+" | "+d.Mac+" |")
	}
	judging := read("docs/judging.md")
	for _, k := range footprint.Kinds {
		assert.Contains(t, judging, "| `"+string(k)+"` |")
	}
	formats := read("docs/formats.md")
	for _, f := range []string{trace.Format, footprint.Format, draft.Format, manifest.Format, sheet.Format, tracefiles.CorrectionsFormat} {
		assert.Contains(t, formats, f)
	}
	api := read("docs/api.md")
	for _, p := range wire.Problems {
		assert.Contains(t, api, p)
	}
	pictures, err := filepath.Glob("docs/screenshots/*.png")
	require.NoError(t, err)
	assert.Less(t, len(pictures), 20)
	pages, err := filepath.Glob("docs/*.md")
	require.NoError(t, err)
	all := read("README.md")
	for _, p := range pages {
		assert.Contains(t, read("README.md"), "("+p+")", "the README leads to every page")
		all += read(p)
	}
	for _, p := range pictures {
		assert.Contains(t, all, "screenshots/"+filepath.Base(p))
	}
}

// A document that names a file or a folder of the code names one that exists.
func TestDocumentationNamesExistingFiles(t *testing.T) {
	quoted := regexp.MustCompile("`([a-z][a-z0-9_]*(?:/[a-z0-9_.-]+)*(?:\\.go)?)`(?: \\(((?:`[a-z_]+\\.go`(?:, )?)+)\\))?")
	pages, err := filepath.Glob("docs/*.md")
	require.NoError(t, err)
	named := 0
	for _, page := range append(pages, "README.md") {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		for line := range strings.Lines(string(text)) {
			cells := strings.Split(line, "|")
			where := cells[len(cells)/2:] // in a table, the last columns
			for _, m := range quoted.FindAllStringSubmatch(strings.Join(where, "|"), -1) {
				folder, _, below := strings.Cut(m[1], "/")
				_, err := os.Stat(folder)
				// The last column of the table of guarantees names packages only.
				if !(below && err == nil) && !(page == "docs/security.md" && strings.HasPrefix(line, "|")) {
					continue
				}
				named++
				assert.True(t, existsFrom(m[1]), "%s: %s", page, m[1])
				for _, file := range strings.FieldsFunc(m[2], func(r rune) bool { return strings.ContainsRune("`, ", r) }) {
					assert.FileExists(t, filepath.Join(m[1], file), page)
				}
			}
		}
	}
	assert.Greater(t, named, 30)
}

// existsFrom reports whether there is such a file or folder, from the root or from capture.
func existsFrom(name string) bool {
	for _, root := range []string{".", "capture"} {
		if _, err := os.Stat(filepath.Join(root, name)); err == nil {
			return true
		}
	}
	return false
}

// What cannot be installed is reported, with what to do.
func TestMissingToolsAreInstalledOrReported(t *testing.T) {
	stubs := t.TempDir()
	stub := func(name, script string) {
		require.NoError(t, os.WriteFile(filepath.Join(stubs, name), []byte("#!/bin/sh\n"+script+"\n"), 0o755))
	}
	need := func(what ...string) (string, error) {
		c := exec.Command("tools/need", what...)
		c.Env = []string{"PATH=" + stubs + ":" + os.Getenv("PATH")}
		out, err := c.CombinedOutput()
		return string(out), err
	}
	out, err := need("go", "git")
	assert.NoError(t, err)
	assert.Empty(t, out, "what is there is not talked about")
	_, err = need("treasure")
	assert.Error(t, err)

	stub("dpkg-query", "exit 1")
	stub("id", "echo 0")
	stub("apt-get", `echo "apt-get $*" >>`+filepath.Join(stubs, "asked"))
	out, err = need("package:endroit-test-package")
	assert.NoError(t, err)
	assert.Contains(t, out, "endroit-test-package: ")
	asked, err := os.ReadFile(filepath.Join(stubs, "asked"))
	require.NoError(t, err)
	assert.Contains(t, string(asked), "apt-get install -y --no-install-recommends endroit-test-package")

	stub("apt-get", "echo 'Could not resolve deb.example'; exit 100")
	out, err = need("package:endroit-test-package")
	assert.Error(t, err)
	assert.Contains(t, out, "Could not resolve")
	assert.Contains(t, out, "Is the network there")

	stub("id", "echo 1000")
	stub("sudo", "exit 1")
	out, err = need("package:endroit-test-package")
	assert.Error(t, err)
	assert.Contains(t, out, "As root: apt-get update && apt-get install --no-install-recommends endroit-test-package")
}

// What is built is not kept: neither programs, nor what tests were compiled to.
func TestNoProgramIsKept(t *testing.T) {
	out, err := exec.Command("git", "ls-files", "-z", "--cached", "--others", "--exclude-standard").Output()
	require.NoError(t, err)
	names := strings.Split(strings.TrimRight(string(out), "\x00"), "\x00")
	require.Greater(t, len(names), 100)
	for _, name := range names {
		f, err := os.Open(name)
		if err != nil {
			continue // it is about to be removed
		}
		head := make([]byte, 4)
		n, _ := f.Read(head)
		_ = f.Close()
		for _, magic := range []string{"\x7fELF", "MZ\x90", "MZ\x78", "\xcf\xfa\xed\xfe", "\xca\xfe\xba\xbe"} {
			assert.False(t, strings.HasPrefix(string(head[:n]), magic), "%s is a program", name)
		}
	}
}

func TestCoreHasNoClockOfItsOwn(t *testing.T) {
	sources, err := filepath.Glob("core/*/*.go")
	require.NoError(t, err)
	require.NotEmpty(t, sources)
	for _, s := range sources {
		text, err := os.ReadFile(s)
		require.NoError(t, err)
		assert.False(t, !strings.HasSuffix(s, "_test.go") && strings.Contains(string(text), "time.Now"), s)
	}
}

func TestEveryPackageHasADocComment(t *testing.T) {
	for _, p := range packages(t) {
		if strings.HasPrefix(p.ImportPath, "endroit/") {
			name := path.Base(p.ImportPath)
			assert.Regexp(t, "^(Package|Command) "+name+" ", p.Doc, p.ImportPath)
		}
	}
}
