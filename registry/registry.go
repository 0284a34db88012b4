// Package registry reads one key of a registry with all below it, and makes it what a tree
// says: in Windows' own, and in that of a prefix.
//
//	tree, changed, err := registry.Read(ctx, registry.Key{Prefix: folder, Path: `HKEY_CURRENT_USER\Software\Fen`})
//	err = registry.Write(ctx, key, tree)
//
// A prefix's registry is a file while nothing runs in the prefix: it is written beside, and
// renamed. While something runs, the prefix's server has it, and would write over the file at
// its end: then it is read and changed through the server, by Wine's own registry editor.
package registry

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"endroit/core/hive"
	"endroit/core/regtext"
)

// Key is where a key is. Prefix is the folder of a compatibility prefix; empty for the
// registry of this Windows.
type Key struct {
	Prefix string
	Path   string // with the root key's full name: HKEY_CURRENT_USER\Software\Fen
}

func (k Key) String() string {
	if k.Prefix == "" {
		return k.Path
	}
	return k.Path + " in the registry of " + k.Prefix
}

// ErrNotHere says that this system has no registry of its own.
var ErrNotHere = errors.New("this system has no registry; keys are in Windows and in prefixes")

// split is a path's root key and what stands behind it.
func (k Key) split() (root, path string, err error) {
	root, path, _ = strings.Cut(k.Path, `\`)
	root = strings.ToUpper(root)
	if root != "HKEY_CURRENT_USER" && root != "HKEY_LOCAL_MACHINE" {
		return "", "", fmt.Errorf("%s does not lie in HKEY_CURRENT_USER or HKEY_LOCAL_MACHINE", k.Path)
	}
	if !strings.Contains(path, `\`) || strings.HasPrefix(path, `\`) || strings.HasSuffix(path, `\`) || strings.Contains(path, `\\`) {
		return "", "", fmt.Errorf("%s is no key of a program's own", k.Path)
	}
	return root, path, nil
}

// Read reads a key and all below it. The tree is nil if there is none. changed is when one
// of them last changed; zero where that is not known.
func Read(ctx context.Context, k Key) (tree []hive.Branch, changed time.Time, err error) {
	root, path, err := k.split()
	if err == nil {
		if k.Prefix == "" {
			tree, changed, err = readOwn(root, path)
		} else {
			tree, changed, err = readPrefix(ctx, k, root, path)
		}
	}
	if err != nil {
		return nil, changed, fmt.Errorf("%s: %w", k, err)
	}
	return tree, changed, nil
}

// Write makes a key, with all below it, what a tree says; with none it is removed. It is read
// again afterwards.
func Write(ctx context.Context, k Key, tree []hive.Branch) error {
	root, path, err := k.split()
	if err == nil {
		if k.Prefix == "" {
			err = writeOwn(root, path, tree)
		} else {
			err = writePrefix(ctx, k, root, path, tree)
		}
	}
	if err != nil {
		return fmt.Errorf("%s: %w", k, err)
	}
	is, _, err := Read(ctx, k)
	if err != nil {
		return err
	}
	if !Same(is, tree) && !Same(is, ended(tree)) {
		return fmt.Errorf("%s: it does not have what was written; does a program write there?", k)
	}
	return nil
}

// ended is a tree whose texts all end in a zero: the registry editor, by which a running
// prefix is changed, appends one where it is missing.
func ended(tree []hive.Branch) []hive.Branch {
	out := slices.Clone(tree)
	for i := range out {
		out[i].Values = slices.Clone(out[i].Values)
		for n, v := range out[i].Values {
			if _, has := hive.Units(v.Data); !has && len(v.Data)%2 == 0 && (v.Kind == hive.String || v.Kind == hive.Expand) {
				out[i].Values[n].Data = append(slices.Clone(v.Data), 0, 0)
			}
		}
	}
	return out
}

// Same reports whether two trees have the same keys, values and data.
func Same(a, b []hive.Branch) bool {
	if len(a) == 0 || len(b) == 0 {
		return len(a) == len(b)
	}
	one, err1 := regtext.Text("KEY", a)
	other, err2 := regtext.Text("KEY", b)
	return err1 == nil && err2 == nil && bytes.Equal(one, other)
}
