package plays

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/candidate"
	"endroit/core/footprint"
	"endroit/core/place"
	"endroit/machine"
)

// covered are the places that a footprint's proposal covers, with what they hold.
func covered(fp *footprint.Footprint) map[string]footprint.Kind {
	out := map[string]footprint.Kind{}
	for _, l := range candidate.Propose(fp, nil).Locations {
		for _, x := range fp.Files {
			if at, err := place.ParseAny(x.Place); err == nil && at.Anchor == l.At.Anchor {
				if _, ok := l.At.Match(at.Names(), nil); ok {
					out[x.Place] = l.Holds
				}
			}
		}
	}
	return out
}

// Another run of the same variant never loses a file: what the proposal of one run covers,
// that of both covers too, unless what the other run did to this very file says that it is
// something else.
func TestAddingARunLosesNoFile(t *testing.T) {
	const others = 12 // that each play is put together with
	tried := 0
	for i, p := range All() {
		a, err := p.Footprint()
		require.NoError(t, err)
		before := covered(a)
		for j := i + 1; j <= i+others; j++ {
			q := All()[j%len(All())]
			if p.Title != q.Title || p.Ref != q.Ref || p.Windows != q.Windows {
				continue
			}
			b, err := q.Footprint()
			require.NoError(t, err)
			kinds := map[string]footprint.Kind{}
			for _, x := range b.Files {
				kinds[x.Place] = x.Kind
			}
			both, err := footprint.Merge([]*footprint.Footprint{a, b})
			require.NoError(t, err)
			after := covered(both)
			for at, holds := range before {
				if k, there := kinds[at]; there && k != holds {
					continue
				}
				tried++
				assert.Equal(t, holds, after[at], "%s and %s: %s", p.Name, q.Name, at)
			}
		}
	}
	assert.Greater(t, tried, 500)
}

// resolves says how many files the proposal gives back, resolved on the machine that the
// play was played on, and what is wrong where it does not give back those that it was
// made from.
func resolves(ctx context.Context, p Play, fp *footprint.Footprint, root string) (given int, wrong []string) {
	roots := place.LinuxRoots(map[string]string{"HOME": root})
	roots[place.Install], roots[place.AccountData] = at(root, "inst:"), at(root, "acc:")
	find := func(l place.Location) (machine.Found, error) {
		return machine.Find(ctx, roots, l, place.Captures{"user": "mira"})
	}
	if p.Windows {
		in, err := machine.OpenPrefix(ctx, filepath.Join(root, strings.TrimPrefix(prefix, home)))
		if err != nil {
			return 0, []string{err.Error()}
		}
		in.Roots[place.Install] = filepath.Clean(at(root, "pinst:"))
		find = func(l place.Location) (machine.Found, error) {
			return in.Find(ctx, l, place.Captures{"user": "player"})
		}
	}
	for _, l := range candidate.Propose(fp, nil).Locations {
		if l.At.Anchor == place.Registry {
			continue
		}
		found, err := find(l.At)
		if err != nil {
			wrong = append(wrong, fmt.Sprintf("%s: %s: %v", p.Name, l.At, err))
			continue
		}
		for _, x := range l.Files {
			if _, err := os.Lstat(x.Path); err != nil {
				continue // it is gone by now
			}
			if !slices.ContainsFunc(found.Files, func(f machine.File) bool { return f.Path == x.Path }) {
				wrong = append(wrong, fmt.Sprintf("%s: %s does not give back %s, but %v %s", p.Name, l.At, x.Path, found.Files, found.Missing))
				continue
			}
			given++
		}
	}
	return given, wrong
}
