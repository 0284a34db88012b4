// Package workbench serves the workbench's page for one trace on this machine, on
// loopback, to the person who started it alone.
//
//	b, err := workbench.Open(workbench.Config{Trace: "tidewrack.trace"})
//	err = b.Serve(ctx, listener)
package workbench

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"endroit/capture/versions"
	"endroit/console"
	"endroit/core/candidate"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/jsondoc"
	"endroit/core/origin"
	"endroit/core/record"
	"endroit/core/trace"
	"endroit/localmanifest"
	"endroit/programfiles"
	"endroit/safefile"
	"endroit/service/answer"
	"endroit/service/wire"
	"endroit/tracefiles"
)

// Config is what a workbench needs.
type Config struct {
	Traces []string // their files; several of one variant are shown together
	Draft  string   // the file that the draft is saved to; it need not be there
	Title  string   // the game's name, if the trace has none
	By     string   // who corrects: what this person is called here
	// Manifest is what other titles keep, nil if it is not known.
	Manifest *localmanifest.Manifest
}

// Workbench answers the page's requests.
type Workbench struct {
	config   Config
	secret   string // whoever has it may look
	header   trace.Header
	runs     []*run
	versions []version
	handler  http.Handler

	searching sync.Mutex      // guards what follows
	sought    map[string]bool // the names that were looked for; nil before that
	found     *origin.Result  // where names come from

	mu   sync.Mutex           // guards what follows
	keys map[string]bool      // those that were given out and not used yet
	gaps []trace.Gap          // what beside the traces could not be read
	now  *footprint.Footprint // all runs, with corrections; replaced, never changed
}

// run is one of the traces that are shown.
type run struct {
	file   string
	digest string
	judged *footprint.Footprint // without corrections
	at     time.Duration        // where it begins on the clock of all
}

// path is where a file lies in this run; empty if the run did not touch it.
func (r *run) path(x footprint.File) string {
	for _, o := range r.judged.Files {
		if o.Path == x.Path || x.Place != "" && o.Place == x.Place {
			return o.Path
		}
	}
	return ""
}

// version is a content that was kept beside a run's trace.
type version struct {
	versions.Version
	run    *run
	number int // beside its trace, from 1
}

// Open reads traces with what lies beside them. Errors are those of tracefiles.Read and of
// footprint.Merge.
func Open(c Config) (*Workbench, error) {
	b := &Workbench{config: c, secret: rand.Text(), keys: map[string]bool{}}
	at := time.Duration(0)
	var now []*footprint.Footprint
	for _, name := range c.Traces {
		fp, digest, err := tracefiles.Read(name, footprint.Filter{})
		if err != nil {
			return nil, err
		}
		if fp.Title == "" {
			fp.Title = c.Title
		}
		r := &run{file: name, digest: digest, judged: fp.AsJudged(), at: at}
		at += fp.Length
		b.runs, now = append(b.runs, r), append(now, fp)
		kept, err := versions.Read(versions.Beside(name))
		if err != nil {
			b.gaps = append(b.gaps, trace.Gap{What: "the versions beside the trace cannot be read: " + err.Error(), N: 1, At: r.at})
		}
		for i, v := range kept {
			b.versions = append(b.versions, version{v, r, i + 1})
		}
	}
	var err error
	if b.now, err = b.joined(now); err != nil {
		return nil, err
	}
	if err := b.readHeader(); err != nil {
		return nil, err
	}
	b.handler = b.build()
	return b, nil
}

// joined are the runs as one footprint.
func (b *Workbench) joined(list []*footprint.Footprint) (*footprint.Footprint, error) {
	all, err := footprint.Merge(list)
	if err != nil {
		return nil, err
	}
	out := *all
	out.Gaps = append(slices.Clone(all.Gaps), b.gaps...)
	return &out, nil
}

func (b *Workbench) readHeader() error {
	f, err := tracefiles.Open(b.runs[0].file)
	if err != nil {
		return err
	}
	defer f.Close()
	r, err := trace.NewReader(f, trace.DefaultLimits)
	if err != nil {
		return fmt.Errorf("%s: %w", b.runs[0].file, err)
	}
	b.header = r.Header
	return nil
}

// Address is where the page is found, with a key that lets one browser in, once: a program
// that sees it later, in a list of processes or a history, has nothing.
func (b *Workbench) Address(l net.Listener) string {
	key := rand.Text()
	b.mu.Lock()
	defer b.mu.Unlock()
	b.keys[key] = true
	return "http://" + l.Addr().String() + "/open?key=" + key
}

// ServeHTTP answers one request.
func (b *Workbench) ServeHTTP(w http.ResponseWriter, r *http.Request) { b.handler.ServeHTTP(w, r) }

// Serve answers on a listener, which has to be on loopback, until ctx ends.
func (b *Workbench) Serve(ctx context.Context, l net.Listener) error {
	if a, ok := l.Addr().(*net.TCPAddr); !ok || !a.IP.IsLoopback() {
		return errors.New("a workbench may only listen on loopback, since it shows this machine's files")
	}
	server := &http.Server{
		Handler:           b,
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       time.Minute,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    64 << 10,
	}
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(l) }()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	drain, cancel := context.WithTimeout(context.WithoutCancel(ctx), 2*time.Second)
	defer cancel()
	if err := server.Shutdown(drain); err != nil {
		return server.Close()
	}
	return nil
}

func (b *Workbench) build() http.Handler {
	e := echo.New()
	e.HTTPErrorHandler = answerError
	e.Use(middleware.Recover())
	e.Use(middleware.SecureWithConfig(middleware.SecureConfig{
		ContentTypeNosniff:    "nosniff",
		XFrameOptions:         "DENY",
		ReferrerPolicy:        "no-referrer",
		ContentSecurityPolicy: console.Security,
	}))
	e.Use(middleware.BodyLimit(draft.MaxBytes*2), middleware.GzipWithConfig(middleware.GzipConfig{
		Skipper: func(c *echo.Context) bool { return strings.HasPrefix(c.Request().URL.Path, console.Assets) },
	}))
	e.GET("/open", b.exchangeKey)
	g := e.Group("/api/v1", b.known)
	g.GET("/session", func(c *echo.Context) error { return c.JSON(http.StatusOK, wire.Session{Local: true}) })
	g.GET("/workbench", b.show)
	g.GET("/workbench/files/:file", b.showFile)
	g.GET("/workbench/files/:file/steps", b.steps)
	g.GET("/workbench/files/:file/bytes", b.bytes)
	g.GET("/workbench/files/:file/differences", b.differences)
	g.GET("/workbench/files/:file/sums", b.sums)
	g.POST("/workbench/feedback", b.tryDraft)
	g.POST("/workbench/answers", b.applyAnswers)
	g.POST("/workbench/corrections", b.correct)
	g.PUT("/workbench/draft", b.save)
	e.GET("/", func(c *echo.Context) error { return c.Redirect(http.StatusFound, "/workbench") })
	e.GET("/*", func(c *echo.Context) error {
		err := console.Answer(c.Response(), c.Request())
		if errors.Is(err, console.ErrNotBuilt) || errors.Is(err, console.ErrNoPage) {
			return answer.Problem(http.StatusNotFound, wire.ProblemNotFound, err.Error())
		}
		return err
	})
	// A page elsewhere cannot act here, nor reach this under a name of its own that
	// it points to loopback.
	guard := http.NewCrossOriginProtection()
	guard.SetDenyHandler(refuse(http.StatusForbidden, "this request came from another site"))
	elsewhere := refuse(http.StatusMisdirectedRequest, "a workbench is called by its address on loopback")
	return guard.Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		host, _, err := net.SplitHostPort(r.Host)
		if err != nil {
			host = r.Host
		}
		if ip := net.ParseIP(strings.Trim(host, "[]")); host != "localhost" && (ip == nil || !ip.IsLoopback()) {
			elsewhere.ServeHTTP(w, r)
			return
		}
		e.ServeHTTP(w, r)
	}))
}

// refuse answers with a problem document.
func refuse(status int, detail string) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/problem+json")
		w.WriteHeader(status)
		_ = json.NewEncoder(w).Encode(answer.Problem(status, wire.ProblemAny, detail))
	})
}

// exchangeKey trades a key for the secret. It stands behind the # of the address, which browsers
// send to nobody, until the page has put it away for its own origin, port and all.
func (b *Workbench) exchangeKey(c *echo.Context) error {
	key := c.QueryParam("key")
	b.mu.Lock()
	unused := b.keys[key]
	delete(b.keys, key)
	b.mu.Unlock()
	if !unused {
		return answer.Problem(
			http.StatusForbidden,
			wire.ProblemSignIn,
			"this address was not printed by endroit workbench, or was already used: each works once, for one "+
				"browser. Press Enter in its terminal for another",
		)
	}
	c.Response().Header().Set("Cache-Control", "no-store")
	return c.Redirect(http.StatusSeeOther, "/workbench#let-in="+b.secret)
}

func (b *Workbench) known(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		token, _ := strings.CutPrefix(c.Request().Header.Get("Authorization"), "Bearer ")
		if subtle.ConstantTimeCompare([]byte(token), []byte(b.secret)) != 1 {
			return answer.Problem(
				http.StatusForbidden, wire.ProblemSignIn,
				"open the address that endroit workbench printed, with its key; for another browser or tab press Enter in its terminal",
			)
		}
		c.Response().Header().Set("Cache-Control", "no-store")
		return next(c)
	}
}

// answerError writes every error as a problem document.
func answerError(c *echo.Context, err error) {
	p := answer.Of(err)
	switch {
	case p != nil:
	case errors.Is(err, fs.ErrNotExist):
		p = answer.Problem(http.StatusNotFound, wire.ProblemNotFound, err.Error())
	case errors.Is(err, tracefiles.ErrInput), errors.Is(err, fs.ErrPermission):
		p = answer.Problem(http.StatusConflict, wire.ProblemInvalid, err.Error())
	default:
		p = answer.Problem(http.StatusInternalServerError, wire.ProblemAny, err.Error())
	}
	_ = answer.Send(c, *p)
}

// footprint is the footprint as it is now; nobody changes it.
func (b *Workbench) footprint() *footprint.Footprint {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.now
}

func (b *Workbench) show(c *echo.Context) error {
	fp := b.footprint()
	w := wire.NewWorkbench(fp)
	w.Name, w.Local, w.MayCorrect = strings.Join(b.config.Traces, ", "), true, true
	d, text, err := b.draft(c.Request().Context(), fp)
	if err != nil {
		return err
	}
	w.Saves, w.Digest = b.config.Draft, digestOf(text)
	w.Variant = record.VariantOf(d).String()
	w.Draft, err = json.Marshal(d)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, w)
}

// digestOf is the digest of a file's text, empty where there is no file.
func digestOf(text []byte) string {
	if text == nil {
		return ""
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:])
}

// nameSearch is how long the programs are searched for where names come from, at most,
// while a person waits for the page.
const nameSearch = 5 * time.Second

// sources searches the programs for where names come from, once for the same names: what was
// played does not change, and the page is asked for again and again. A correction or an
// answer can bring in others.
func (b *Workbench) sources(ctx context.Context, fp *footprint.Footprint) (*origin.Result, error) {
	b.searching.Lock()
	defer b.searching.Unlock()
	names, _ := candidate.Names(fp)
	if b.sought != nil && !slices.ContainsFunc(names, func(n string) bool { return !b.sought[n] }) {
		return b.found, nil
	}
	found, err := programfiles.Search(ctx, fp, nameSearch)
	if err != nil {
		return nil, err
	}
	b.found = found
	if b.sought == nil {
		b.sought = map[string]bool{}
	}
	for _, n := range names {
		b.sought[n] = true
	}
	return found, nil
}

// draft is the draft that was saved, with its text, or else the one to begin with.
func (b *Workbench) draft(ctx context.Context, fp *footprint.Footprint) (*draft.Draft, []byte, error) {
	text, err := safefile.Read(b.config.Draft, draft.MaxBytes)
	if errors.Is(err, fs.ErrNotExist) {
		found, err := b.sources(ctx, fp)
		if err != nil {
			return nil, nil, err
		}
		d, _, _ := candidate.Draft(fp, found)
		own := *fp // that of the workbench is never changed
		fp = &own
		contribution.TellNames(fp, d.Names)
		if err := contribution.Admissible(ctx, d, fp); err != nil {
			return nil, nil, err
		}
		b.name(d)
		return d, nil, nil
	}
	if err != nil {
		return nil, nil, err
	}
	d, err := draft.Parse(text)
	if err != nil {
		return nil, nil, answer.Problem(
			http.StatusConflict, wire.ProblemInvalid,
			fmt.Sprintf("%s: %v; fix it, or name another with --draft", b.config.Draft, err),
		)
	}
	if d.Trace != nil && !slices.ContainsFunc(append(d.Also, *d.Trace), func(t draft.Trace) bool {
		return slices.ContainsFunc(b.runs, func(r *run) bool { return r.digest == t.SHA256 })
	}) {
		return nil, nil, answer.Problem(
			http.StatusConflict, wire.ProblemInvalid,
			b.config.Draft+" belongs to another trace; choose another with --draft",
		)
	}
	return d, text, nil
}

// name writes into a draft which traces it is from: those that are shown, and others that it
// had.
func (b *Workbench) name(d *draft.Draft) {
	also := d.Also
	d.Trace, d.Also = nil, nil
	for i, r := range b.runs {
		t := draft.Trace{File: tracefiles.RelativeTo(b.config.Draft, r.file), SHA256: r.digest}
		if i == 0 {
			d.Trace = &t
			continue
		}
		d.Also = append(d.Also, t)
	}
	for _, t := range also {
		if t.SHA256 != d.Trace.SHA256 && !slices.ContainsFunc(d.Also, func(o draft.Trace) bool { return o.SHA256 == t.SHA256 }) {
			d.Also = append(d.Also, t)
		}
	}
}

// save writes the draft, over the file that the page knows and no other.
func (b *Workbench) save(c *echo.Context) error {
	var in wire.DraftSaved
	if err := answer.Read(c, &in); err != nil {
		return err
	}
	var d draft.Draft
	if err := jsondoc.Decode("draft", in.Draft, &d); err != nil {
		return answer.Problem(http.StatusBadRequest, wire.ProblemInvalid, "invalid draft: "+err.Error())
	}
	if d.Trace == nil || d.Trace.SHA256 == "" || d.Trace.SHA256 == b.runs[0].digest {
		b.name(&d)
	}
	var bad *draft.Error
	if err := d.Check(); errors.As(err, &bad) {
		return answer.Invalid("draft."+bad.Field, bad.Reason)
	}
	text, err := d.Text()
	if err != nil {
		return err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	there, err := safefile.Read(b.config.Draft, draft.MaxBytes)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if err == nil && bytes.Equal(there, text) {
		return c.JSON(http.StatusOK, wire.Saved{File: b.config.Draft, Digest: digestOf(text)})
	}
	if err == nil && digestOf(there) != in.Digest || err != nil && in.Digest != "" {
		return answer.Problem(
			http.StatusConflict, wire.ProblemConflict,
			b.config.Draft+" was changed since this page read it; reload the page, or choose another file with --draft. Nothing was written",
		)
	}
	if err == nil { // what the person wrote around the values stays
		if text, err = draft.Rewrite(there, &d); err != nil {
			return answer.Problem(http.StatusConflict, wire.ProblemInvalid, b.config.Draft+": "+err.Error())
		}
	}
	if err := safefile.Write(b.config.Draft, text); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, wire.Saved{File: b.config.Draft, Digest: digestOf(text)})
}

// correct keeps what this person says of a file beside the trace.
func (b *Workbench) correct(c *echo.Context) error {
	var in wire.CorrectionMade
	if err := answer.Read(c, &in); err != nil {
		return err
	}
	in.Because = strings.TrimSpace(in.Because)
	if err := tracefiles.CheckWords(in.Because); err != nil {
		return answer.Invalid("because", err.Error())
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	made := footprint.Correction{Kind: in.Kind, By: b.config.By, Because: in.Because, Made: time.Now().UTC().Truncate(time.Second)}
	var next []*footprint.Footprint
	keep := map[*run][]footprint.Correction{}
	for _, r := range b.runs {
		said, err := tracefiles.Corrections(r.file) // somebody may have corrected by the command line
		if err != nil {
			return err
		}
		fp := r.judged.AsJudged()
		list := said.Corrections
		if path := b.pathIn(r, in.File); path != "" {
			made.File = path
			list = append(list, made)
			keep[r] = nil
		}
		switch err := fp.Correct(list); {
		case errors.Is(err, footprint.ErrNoSuchKind):
			return answer.Invalid("kind", err.Error())
		case err != nil:
			return answer.Invalid("file", err.Error())
		}
		if _, changed := keep[r]; changed {
			keep[r] = fp.Corrections
		}
		next = append(next, fp)
	}
	if len(keep) == 0 {
		return answer.Invalid("file", fmt.Sprintf("%s: %v", in.File, footprint.ErrNoSuchFile))
	}
	for r, list := range keep {
		if err := tracefiles.Keep(r.file, r.digest, list); err != nil {
			return err
		}
	}
	now, err := b.joined(next)
	if err != nil {
		return err
	}
	b.now = now
	return c.NoContent(http.StatusNoContent)
}

// pathIn is where a file of the page, by its place or path, lies in a run; empty if the run
// has it not.
func (b *Workbench) pathIn(r *run, name string) string {
	for _, x := range b.now.Files {
		if x.Name() == name || x.Path == name {
			return r.path(x)
		}
	}
	return ""
}
