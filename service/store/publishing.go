package store

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/core/manifest"
	"endroit/core/record"
	"endroit/publication"
	"endroit/published"
)

// channel is on which acceptances are told to the process that publishes.
const channel = "endroit_accepted"

// Why a revision was made.
const (
	becauseAccepted = "accepted"
	becauseBegun    = "begun"        // the first, when nothing is recorded yet
	becauseSigned   = "signed-again" // its signatures would have expired
	becauseStanding = "standing"     // a standing changed as time passed
)

// Publisher makes revisions of what was accepted. Of all processes on a database one
// publishes at a time.
type Publisher struct {
	store  *Store
	signer *publication.Signer
	told   func(Revision) // of each revision
}

// NewPublisher makes a publisher; told may be nil.
func (s *Store) NewPublisher(signer *publication.Signer, told func(Revision)) *Publisher {
	if told == nil {
		told = func(Revision) {}
	}
	return &Publisher{s, signer, told}
}

const (
	// gather is how long acceptances are gathered for one revision.
	gather = 800 * time.Millisecond
	// electEvery is how often a process that does not publish tries to.
	electEvery = time.Second
	// lookEvery is how often it is looked whether something has to be signed again, or was
	// accepted by a process that ended before it told.
	lookEvery = 5 * time.Second
)

// Run publishes until the context ends. It waits while another process publishes. An error
// of the database, or of signing, is told to failed, and it goes on.
func (p *Publisher) Run(ctx context.Context, failed func(error)) {
	for ctx.Err() == nil {
		err := p.store.findAll(ctx)
		if err == nil {
			err = p.elected(ctx)
		}
		if err != nil && ctx.Err() == nil {
			failed(err)
		}
		sleep(ctx, electEvery)
	}
}

func sleep(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// elected publishes while this process holds the lock for it.
func (p *Publisher) elected(ctx context.Context) error {
	conn, err := p.store.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	var mine bool
	if err := conn.QueryRow(ctx, `SELECT pg_try_advisory_lock($1)`, lockPublish).Scan(&mine); err != nil || !mine {
		return err
	}
	defer func() { // whatever state the connection is in, the lock goes with it
		end, cancel := context.WithTimeout(context.WithoutCancel(ctx), time.Second)
		defer cancel()
		if _, err := conn.Exec(end, `UNLISTEN *; SELECT pg_advisory_unlock(`+fmt.Sprint(lockPublish)+`)`); err != nil {
			_ = conn.Conn().Close(end)
		}
	}()
	if _, err := conn.Exec(ctx, `LISTEN `+channel); err != nil {
		return err
	}
	for {
		if err := p.store.findAll(ctx); err != nil {
			return err
		}
		for more := true; more; {
			if more, err = p.step(ctx, conn.Conn(), time.Now()); err != nil {
				return err
			}
		}
		wait, cancel := context.WithTimeout(ctx, lookEvery)
		_, err := conn.Conn().WaitForNotification(wait)
		cancel()
		switch {
		case ctx.Err() != nil:
			return nil
		case err == nil:
			sleep(ctx, gather)
		case !errors.Is(err, context.DeadlineExceeded):
			return err
		}
	}
}

// onceEvery is how often it is looked whether another process has published.
const onceEvery = 50 * time.Millisecond

// onceWithin is how long another process is waited for that publishes.
const onceWithin = 30 * time.Second

// Once makes all revisions that are due, unless another process publishes: then it waits
// until that has made them.
func (p *Publisher) Once(ctx context.Context) error {
	conn, err := p.store.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	for end := time.Now().Add(onceWithin); ; sleep(ctx, onceEvery) {
		var mine, done bool
		if err := conn.QueryRow(ctx, `SELECT pg_try_advisory_lock($1)`, lockPublish).Scan(&mine); err != nil {
			return err
		}
		if mine {
			break
		}
		if err := conn.QueryRow(ctx, `SELECT EXISTS (SELECT 1 FROM publication)
			AND NOT EXISTS (SELECT 1 FROM titles WHERE published <> version)
			AND NOT EXISTS (SELECT 1 FROM sheets WHERE published <> version)`).Scan(&done); err != nil || done {
			return err
		}
		if time.Now().After(end) {
			return errors.New("publish: another process is to publish, and has not done so for 30 seconds; its log says why")
		}
	}
	defer conn.Exec(context.WithoutCancel(ctx), `SELECT pg_advisory_unlock($1)`, lockPublish)
	for more := true; more && err == nil; {
		more, err = p.step(ctx, conn.Conn(), time.Now())
	}
	return err
}

// titlesAtOnce is how many titles one revision takes in.
const titlesAtOnce = 5000

// step makes one revision, or signs what has to be signed again, in one transaction: it is
// there whole or not at all. more says that there is more to do.
func (p *Publisher) step(ctx context.Context, conn *pgx.Conn, at time.Time) (more bool, err error) {
	at = at.UTC().Truncate(time.Second)
	var made *Revision
	err = pgx.BeginFunc(ctx, conn, func(tx pgx.Tx) error {
		batch := &pgx.Batch{}
		mayWrite(batch)
		if err := tx.SendBatch(ctx, batch).Close(); err != nil {
			return err
		}
		s := &revisionStep{tx: tx, signer: p.signer, at: at}
		var err error
		if made, err = s.run(ctx); err == nil {
			more = s.more
		}
		return err
	})
	if err != nil {
		return false, fmt.Errorf("publish: %w", err)
	}
	if made != nil {
		p.told(*made)
	}
	return more, nil
}

// revisionStep is the making of one revision.
type revisionStep struct {
	tx     pgx.Tx
	signer *publication.Signer
	at     time.Time
	more   bool

	again    bool // signatures that would expire
	roots    bool // there are new roots
	stamp    bool // the timestamp has to be signed again
	stamped  int64
	because  string
	titles   map[string]int // the new version of each title in this revision
	sheets   map[string]int
	shards   map[string]shard
	replaced []string
	files    map[string][]byte
}

type shard struct {
	published.File
	titles int
}

// Revision is a published state of the manifest, without its titles.
type Revision struct {
	Number    int
	Published time.Time
	Because   string
	Titles    int
	Sheets    int
	Digest    string // of its targets metadata
	Changed   int    // how many titles and sheets it changed
}

func (s *revisionStep) run(ctx context.Context) (*Revision, error) {
	s.titles, s.sheets, s.files = map[string]int{}, map[string]int{}, map[string][]byte{}
	if err := s.due(ctx); err != nil {
		return nil, err
	}
	if err := s.standings(ctx); err != nil {
		return nil, err
	}
	if err := s.changed(ctx); err != nil {
		return nil, err
	}
	var made *Revision
	if len(s.titles)+len(s.sheets) > 0 || s.again {
		var err error
		if made, err = s.revision(ctx); err != nil {
			return nil, err
		}
	} else if s.stamp || s.roots {
		if err := s.timestamp(ctx); err != nil {
			return nil, err
		}
	}
	return made, nil
}

// due reads what has to be signed again. A publication that has nothing yet begins.
func (s *revisionStep) due(ctx context.Context) error {
	var stampAgain, revisionAgain time.Time
	var roots int64
	err := s.tx.QueryRow(ctx, `SELECT timestamp_version, timestamp_again, revision_again, root_version FROM publication`).
		Scan(&s.stamped, &stampAgain, &revisionAgain, &roots)
	own := s.signer.Roots()
	switch {
	case errors.Is(err, pgx.ErrNoRows):
		s.again, s.roots = true, true
		s.because = becauseBegun
	case err != nil:
		return err
	case int64(len(own)) < roots:
		return fmt.Errorf("the keys here have %d roots and %d are published: copy the newer ones here", len(own), roots)
	default:
		s.roots = int64(len(own)) > roots
		s.again = !s.at.Before(revisionAgain) || s.roots // another key may have to sign
		s.stamp = !s.at.Before(stampAgain)
		s.because = becauseSigned
	}
	if s.roots {
		for path, raw := range own {
			var old []byte
			err := s.tx.QueryRow(ctx, `SELECT data FROM published_files WHERE path = $1`, path).Scan(&old)
			switch {
			case errors.Is(err, pgx.ErrNoRows):
				s.files[path] = raw
			case err != nil:
				return err
			case string(old) != string(raw):
				return fmt.Errorf("%s is published already, and is another one here: these are the keys of another publication", path)
			}
		}
	}
	return nil
}

// standings writes what is to be published of the titles whose standing changes as time
// passes.
func (s *revisionStep) standings(ctx context.Context) error {
	rows, err := s.tx.Query(ctx, `SELECT id, doc FROM titles WHERE shown_until <= $1
		ORDER BY id LIMIT $2 FOR UPDATE SKIP LOCKED`, s.at, titlesAtOnce)
	if err != nil {
		return err
	}
	docs := map[string][]byte{}
	var id string
	var doc []byte
	if _, err := pgx.ForEachRow(rows, []any{&id, &doc}, func() error { docs[id] = slices.Clone(doc); return nil }); err != nil {
		return err
	}
	for _, id := range slices.Sorted(maps.Keys(docs)) {
		t, err := record.Parse(docs[id])
		if err != nil {
			return err
		}
		p, until := t.Published(s.at)
		shown, err := manifest.Canonical(p)
		if err != nil {
			return err
		}
		var version int
		if err := s.tx.QueryRow(
			ctx, `UPDATE titles SET shown = $2, shown_until = $3 WHERE id = $1 RETURNING version`, id, shown, unlessZero(until),
		).Scan(&version); err != nil {
			return err
		}
		s.titles[id], s.because = version, becauseStanding
	}
	return nil
}

// changed reads what was accepted since the last revision.
func (s *revisionStep) changed(ctx context.Context) error {
	for _, of := range []struct {
		sql  string
		into map[string]int
	}{
		{`SELECT id, version FROM titles WHERE published <> version ORDER BY id LIMIT $1`, s.titles},
		{`SELECT id, version FROM sheets WHERE published <> version ORDER BY id LIMIT $1`, s.sheets},
	} {
		rows, err := s.tx.Query(ctx, of.sql, titlesAtOnce)
		if err != nil {
			return err
		}
		var id string
		var version, n int
		if _, err := pgx.ForEachRow(rows, []any{&id, &version}, func() error {
			of.into[id] = version
			s.because = becauseAccepted
			n++
			return nil
		}); err != nil {
			return err
		}
		s.more = s.more || n == titlesAtOnce
	}
	return nil
}

// revision makes the shards that changed, signs, and writes all of it.
func (s *revisionStep) revision(ctx context.Context) (*Revision, error) {
	if err := s.readShards(ctx); err != nil {
		return nil, err
	}
	names := map[string]bool{}
	for n := range s.shards {
		names[n] = true
	}
	touched := map[string]bool{}
	for id := range s.titles {
		touched[manifest.ShardOf(names, id)] = true
	}
	for _, name := range slices.Sorted(maps.Keys(touched)) {
		if err := s.makeShard(ctx, name); err != nil {
			return nil, err
		}
	}
	sheets, count, err := s.sheetFile(ctx)
	if err != nil {
		return nil, err
	}
	head := published.Head{Format: manifest.Format, Published: s.at, Sheets: count}
	if err := s.tx.QueryRow(ctx, `SELECT coalesce(max(number), 0) + 1 FROM revisions`).Scan(&head.Revision); err != nil {
		return nil, err
	}
	files := map[string]published.File{published.SheetsName: published.FileOf(sheets)}
	s.add(published.SheetsName, sheets)
	for name, x := range s.shards {
		files[published.ShardName(name)] = x.File
		head.Titles += x.titles
	}
	signed, err := s.signer.Revision(head, files, s.at)
	if err != nil {
		return nil, err
	}
	s.files[published.TargetsPath(head.Revision)] = signed.Targets
	s.files[published.SnapshotPath(head.Revision)] = signed.Snapshot
	s.replaced = append(s.replaced, published.TargetsPath(head.Revision-1), published.SnapshotPath(head.Revision-1))
	r := &Revision{
		Number: head.Revision, Published: s.at, Because: s.because, Titles: head.Titles, Sheets: head.Sheets,
		Digest: published.FileOf(signed.Targets).Digest(), Changed: len(s.titles) + len(s.sheets),
	}
	return r, s.save(ctx, r, signed)
}

// add takes a file of the revision into the tree.
func (s *revisionStep) add(name string, data []byte) {
	s.files[published.FilePath(name, published.FileOf(data))] = data
}

func (s *revisionStep) readShards(ctx context.Context) error {
	s.shards = map[string]shard{}
	rows, err := s.tx.Query(ctx, `SELECT name, digest, length, titles FROM shards`)
	if err != nil {
		return err
	}
	var name string
	var digest []byte
	var x shard
	if _, err := pgx.ForEachRow(rows, []any{&name, &digest, &x.Length, &x.titles}, func() error {
		copy(x.SHA256[:], digest)
		s.shards[name] = x
		return nil
	}); err != nil {
		return err
	}
	if len(s.shards) == 0 { // the first revision
		s.shards[manifest.AllTitles] = shard{}
		return s.makeShard(ctx, manifest.AllTitles)
	}
	return nil
}

// makeShard makes a shard of the titles as they are now, or both of its halves, where it
// has become too large.
func (s *revisionStep) makeShard(ctx context.Context, name string) error {
	old := s.shards[name]
	delete(s.shards, name)
	if old.Length > 0 {
		s.replaced = append(s.replaced, published.FilePath(published.ShardName(name), old.File))
	}
	first, last := manifest.Bounds(name)
	rows, err := s.tx.Query(ctx, `SELECT shown, merged_into IS NULL FROM titles WHERE id BETWEEN $1 AND $2 ORDER BY id`, first, last)
	if err != nil {
		return err
	}
	var docs [][]byte
	size, titles := 0, 0
	var doc []byte
	var whole bool
	if _, err := pgx.ForEachRow(rows, []any{&doc, &whole}, func() error {
		docs = append(docs, slices.Clone(doc))
		size += len(doc) + 1
		if whole {
			titles++
		}
		return nil
	}); err != nil {
		return err
	}
	if manifest.NeedsSplit(len(docs), size) {
		a, b := manifest.Halves(name)
		if err := s.makeShard(ctx, a); err != nil {
			return err
		}
		return s.makeShard(ctx, b)
	}
	_, data, err := manifest.WriteShard(name, docs)
	if err != nil {
		return err
	}
	s.shards[name] = shard{published.FileOf(data), titles}
	s.add(published.ShardName(name), data)
	return nil
}

// sheetFile makes the file of all sheets.
func (s *revisionStep) sheetFile(ctx context.Context) (data []byte, count int, err error) {
	all, err := (&world{db: s.tx}).Sheets(ctx)
	if err != nil {
		return nil, 0, err
	}
	var list []manifest.Sheet
	for i := range all {
		list = append(list, all[i].Published(s.at))
	}
	data, err = manifest.WriteSheets(list)
	return data, len(list), err
}

// save writes the revision.
func (s *revisionStep) save(ctx context.Context, r *Revision, signed *publication.Signed) error {
	if _, err := s.tx.Exec(ctx, `INSERT INTO revisions (number, published, because, titles, sheets, digest)
		VALUES ($1, $2, $3, $4, $5, $6)`,
		r.Number, r.Published, r.Because, r.Titles, r.Sheets, r.Digest); err != nil {
		return err
	}
	for _, of := range []struct {
		table, links, column string
		versions             map[string]int
	}{{"titles", "revision_titles", "title_id", s.titles}, {"sheets", "revision_sheets", "sheet_id", s.sheets}} {
		ids := slices.Sorted(maps.Keys(of.versions))
		versions := make([]int, len(ids))
		for i, id := range ids {
			versions[i] = of.versions[id]
		}
		if _, err := s.tx.Exec(ctx, `UPDATE `+of.table+` t SET published = v.version FROM unnest($1::text[], $2::int[]) AS v(id, version)
			WHERE t.id = v.id`, ids, versions); err != nil {
			return err
		}
		if _, err := s.tx.Exec(ctx, `INSERT INTO `+of.links+` (revision, `+of.column+`, version)
			SELECT $1, * FROM unnest($2::text[], $3::int[])`, r.Number, ids, versions); err != nil {
			return err
		}
	}
	if err := s.saveShards(ctx); err != nil {
		return err
	}
	return s.saveTimestamp(ctx, r.Number, signed.Snapshot, &signed.Again)
}

func (s *revisionStep) saveShards(ctx context.Context) error {
	names := slices.Sorted(maps.Keys(s.shards))
	var digests [][]byte
	var lengths []int64
	var titles []int
	for _, n := range names {
		x := s.shards[n]
		digests, lengths, titles = append(digests, x.SHA256[:]), append(lengths, x.Length), append(titles, x.titles)
	}
	if _, err := s.tx.Exec(ctx, `DELETE FROM shards WHERE NOT name = ANY($1)`, names); err != nil {
		return err
	}
	_, err := s.tx.Exec(ctx, `INSERT INTO shards AS s (name, digest, length, titles)
		SELECT * FROM unnest($1::text[], $2::bytea[], $3::bigint[], $4::int[])
		ON CONFLICT (name) DO UPDATE SET digest = excluded.digest, length = excluded.length, titles = excluded.titles
			WHERE s.digest <> excluded.digest`, names, digests, lengths, titles)
	return err
}

// timestamp signs the timestamp again, for the revision that is there.
func (s *revisionStep) timestamp(ctx context.Context) error {
	var number int
	if err := s.tx.QueryRow(ctx, `SELECT max(number) FROM revisions`).Scan(&number); err != nil {
		return err
	}
	var snapshot []byte
	if err := s.tx.QueryRow(
		ctx, `SELECT data FROM published_files WHERE path = $1`, published.SnapshotPath(number),
	).Scan(&snapshot); err != nil {
		return err
	}
	return s.saveTimestamp(ctx, number, snapshot, nil)
}

// saveTimestamp writes the files, and the timestamp that makes them count.
func (s *revisionStep) saveTimestamp(ctx context.Context, number int, snapshot []byte, revisionAgain *time.Time) error {
	stamp, again, err := s.signer.Timestamp(s.stamped+1, number, snapshot, s.at)
	if err != nil {
		return err
	}
	paths := slices.Sorted(maps.Keys(s.files))
	var data [][]byte
	for _, path := range paths {
		data = append(data, s.files[path])
	}
	s.replaced = slices.DeleteFunc(s.replaced, func(path string) bool { return s.files[path] != nil })
	for _, q := range []struct {
		sql  string
		args []any
	}{
		{`UPDATE published_files SET replaced = $2 WHERE path = ANY($1)`, []any{s.replaced, s.at}},
		// A shard can become again what it was once.
		{`INSERT INTO published_files (path, data) SELECT * FROM unnest($1::text[], $2::bytea[])
			ON CONFLICT (path) DO UPDATE SET replaced = NULL`, []any{paths, data}},
		{`UPDATE published_files SET replaced = $2 WHERE replaced IS NULL
			AND path LIKE 'targets/%.` + published.SheetsName + `' AND NOT path = ANY($1)
			AND EXISTS (SELECT 1 FROM unnest($1::text[]) p WHERE p LIKE 'targets/%.` + published.SheetsName + `')`, []any{paths, s.at}},
		{`INSERT INTO publication (timestamp_version, timestamp, timestamp_again, revision_again, root_version)
			SELECT 0, '', $1, $1, 0 WHERE NOT EXISTS (SELECT 1 FROM publication)`, []any{s.at}},
		{`UPDATE publication SET timestamp_version = $1, timestamp = $2, timestamp_again = $3,
			revision_again = coalesce($4, revision_again), root_version = $5`,
			[]any{s.stamped + 1, stamp, again, revisionAgain, int64(len(s.signer.Roots()))}},
	} {
		if _, err := s.tx.Exec(ctx, q.sql, q.args...); err != nil {
			return err
		}
	}
	return nil
}

const revisionSelect = `SELECT number, published, because, titles, sheets, digest,
	(SELECT count(*) FROM revision_titles x WHERE x.revision = r.number)::int
		+ (SELECT count(*) FROM revision_sheets x WHERE x.revision = r.number)::int AS changed
	FROM revisions r `

// Revisions lists the newest first, starting behind the number before (0: at the newest).
func (s *Store) Revisions(ctx context.Context, before, limit int) ([]Revision, error) {
	rows, err := s.Pool.Query(ctx, revisionSelect+`WHERE $1 = 0 OR number < $1 ORDER BY number DESC LIMIT $2`, before, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Revision])
}

// Revision returns one, the newest for 0; ErrNotFound if there is none.
func (s *Store) Revision(ctx context.Context, number int) (Revision, error) {
	rows, err := s.Pool.Query(ctx, revisionSelect+`WHERE $1 = 0 OR number = $1 ORDER BY number DESC LIMIT 1`, number)
	if err != nil {
		return Revision{}, err
	}
	r, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Revision])
	return r, notFound(err)
}

// RevisionChange is a title or a launcher's sheet that a revision changed.
type RevisionChange struct {
	TitleID, SheetID string // one of them
	Name             string
	Version          int
}

// RevisionChanges lists what a revision changed, so many at most.
func (s *Store) RevisionChanges(ctx context.Context, number, limit int) ([]RevisionChange, error) {
	rows, err := s.Pool.Query(ctx, `SELECT * FROM (
			SELECT x.title_id AS titleid, '' AS sheetid, t.name, x.version
				FROM revision_titles x JOIN titles t ON t.id = x.title_id WHERE x.revision = $1
			UNION ALL SELECT '', x.sheet_id, s.name, x.version
				FROM revision_sheets x JOIN sheets s ON s.id = x.sheet_id WHERE x.revision = $1) x
		ORDER BY name, titleid LIMIT $2`, number, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[RevisionChange])
}

// PublishedFile reads a file of the published tree; ErrNotFound if there is none. One that
// changes has no digest in its path: changes says so.
func (s *Store) PublishedFile(ctx context.Context, path string) (data []byte, err error) {
	if path == published.TimestampPath {
		err = s.Pool.QueryRow(ctx, `SELECT timestamp FROM publication`).Scan(&data)
	} else {
		err = s.Pool.QueryRow(ctx, `SELECT data FROM published_files WHERE path = $1`, path).Scan(&data)
	}
	return data, notFound(err)
}

// Tree gives all files of the published tree as it is at one moment, the timestamp last.
// with says of which of them the content is wanted.
func (s *Store) Tree(ctx context.Context, with func(path string) bool, do func(path string, data []byte) error) error {
	return pgx.BeginTxFunc(ctx, s.Pool, pgx.TxOptions{IsoLevel: pgx.RepeatableRead, AccessMode: pgx.ReadOnly}, func(tx pgx.Tx) error {
		paths, err := list[string](ctx, tx, `SELECT path FROM published_files WHERE replaced IS NULL ORDER BY path`)
		if err != nil {
			return err
		}
		var stamp []byte
		if err := tx.QueryRow(ctx, `SELECT timestamp FROM publication`).Scan(&stamp); err != nil {
			return notFound(err)
		}
		for _, path := range paths {
			var data []byte
			if with(path) {
				if err := tx.QueryRow(ctx, `SELECT data FROM published_files WHERE path = $1`, path).Scan(&data); err != nil {
					return err
				}
			}
			if err := do(path, data); err != nil {
				return err
			}
		}
		return do(published.TimestampPath, stamp)
	})
}

// keepReplaced is how long files are kept that the newest revision does not name, for
// those who are reading an older one.
const keepReplaced = 7 * 24 * time.Hour

// DeleteReplaced removes files of the published tree that nobody needs any more.
func (s *Store) DeleteReplaced(ctx context.Context) error {
	_, err := s.Pool.Exec(ctx, `DELETE FROM published_files WHERE replaced < $1`, time.Now().Add(-keepReplaced))
	return err
}
