// Package publishedtest makes revisions for tests and measurements, without a publication.
//
//	news, err := publishedtest.News(1, titles, sheets)
package publishedtest

import (
	"crypto/sha256"
	"encoding/hex"
	"time"

	"endroit/core/manifest"
	"endroit/published"
)

// News is a revision with titles and sheets, as if it had been read.
func News(revision int, titles []manifest.Title, sheets []manifest.Sheet) (*published.News, error) {
	shards, err := manifest.Shards(titles)
	if err != nil {
		return nil, err
	}
	contents := map[string][]byte{}
	for name, data := range shards {
		contents[published.ShardName(name)] = data
	}
	if contents[published.SheetsName], err = manifest.WriteSheets(sheets); err != nil {
		return nil, err
	}
	return published.Local(published.Head{
		Format: manifest.Format, Revision: revision, Published: time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC),
		Titles: len(titles), Sheets: len(sheets),
	}, contents), nil
}

// ID is an id made of a title's name: the same each time.
func ID(name string) string {
	sum := sha256.Sum256([]byte(name))
	return hex.EncodeToString(sum[:8])
}
