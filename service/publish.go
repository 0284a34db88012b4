package service

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"endroit/publication"
	"endroit/published"
	"endroit/safefile"
	"endroit/service/store"
)

// Publish makes revisions of what is accepted until the context ends. Of several processes
// on one database one does at a time.
func (s *Service) Publish(ctx context.Context, signer *publication.Signer) {
	s.store.NewPublisher(signer, s.publishedRevision).Run(ctx, func(err error) { s.log.Error("publish", "error", err) })
}

// PublishOnce makes the revisions that are due.
func (s *Service) PublishOnce(ctx context.Context, signer *publication.Signer) error {
	return s.store.NewPublisher(signer, s.publishedRevision).Once(ctx)
}

func (s *Service) publishedRevision(r store.Revision) {
	s.log.Info("published", "revision", r.Number, "because", r.Because, "changed", r.Changed, "titles", r.Titles)
	s.metrics.GetOrCreateCounter("endroit_revisions_total").Inc()
	s.metrics.GetOrCreateGauge("endroit_revision", nil).Set(float64(r.Number))
}

// ErrNothingPublished says that there is no revision yet.
var ErrNothingPublished = errors.New("nothing was published yet: a service with keys has to run once, or pass --keys")

// WriteTree writes the published tree into a folder, as plain files. Files that are there
// already are not written again, since they never change; the one that does comes last. It
// returns how many files were written, and how many there are.
func (s *Service) WriteTree(ctx context.Context, folder string) (written, all int, err error) {
	missing := func(path string) bool {
		info, err := os.Stat(filepath.Join(folder, filepath.FromSlash(path)))
		return err != nil || !info.Mode().IsRegular() || info.Size() == 0
	}
	err = s.store.Tree(ctx, missing, func(path string, data []byte) error {
		all++
		if data == nil {
			return nil
		}
		name := filepath.Join(folder, filepath.FromSlash(path))
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			return err
		}
		if path == published.TimestampPath && !missing(path) {
			if old, err := safefile.Read(name, int64(len(data))); err == nil && string(old) == string(data) {
				return nil
			}
		}
		written++
		if err := safefile.Write(name, data); err != nil {
			return fmt.Errorf("publish: %w", err)
		}
		return os.Chmod(name, 0o644) // a web server reads it
	})
	if errors.Is(err, store.ErrNotFound) {
		err = ErrNothingPublished
	}
	return written, all, err
}
