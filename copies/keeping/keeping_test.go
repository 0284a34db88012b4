package keeping

import (
	"context"
	"os"
	"path/filepath"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// kept starts a keeper, and gives the number of copies that it takes.
func kept(t *testing.T, k *Keeper) (copies chan int, end func()) {
	copies = make(chan int, 100)
	n := 0
	k.Take = func(context.Context) (bool, error) {
		n++
		copies <- n
		return false, nil
	}
	ready := make(chan bool)
	k.Ready = func() { close(ready) }
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- k.Run(ctx) }()
	<-ready
	return copies, func() {
		cancel()
		require.NoError(t, <-ended)
	}
}

func wait(t *testing.T, copies chan int) int {
	t.Helper()
	select {
	case n := <-copies:
		return n
	case <-time.After(20 * time.Second):
		t.Fatal("no copy was taken")
		return 0
	}
}

func TestACopyAfterEachSave(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "game", "saves") // made later
	copies, end := kept(t, &Keeper{Folders: []string{folder}, Quiet: 100 * time.Millisecond})
	save := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(folder, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600))
	}
	save("a.sav", "1")
	assert.Equal(t, 1, wait(t, copies))
	save("deep/b.sav", "1")
	assert.Equal(t, 2, wait(t, copies))
	require.NoError(t, os.Remove(filepath.Join(folder, "a.sav")))
	assert.Equal(t, 3, wait(t, copies))
	// What was saved just before the end is copied too; where nothing was, no copy is taken.
	save("deep/b.sav", "2, and last")
	end()
	assert.Equal(t, 4, wait(t, copies))
	// What is there at the start is copied at once.
	copies, end = kept(t, &Keeper{Folders: []string{folder}, Quiet: 100 * time.Millisecond})
	assert.Equal(t, 1, wait(t, copies))
	end()
	assert.Empty(t, copies)
}

func TestItEndsWithTheGame(t *testing.T) {
	folder := t.TempDir()
	var looks atomic.Int32
	copies := make(chan int, 9)
	k := &Keeper{
		Folders: []string{folder}, Quiet: 50 * time.Millisecond,
		Runs: func(context.Context) bool { return looks.Add(1) == 1 },
		Take: func(context.Context) (bool, error) { copies <- 1; return false, nil },
	}
	ended := make(chan error, 1)
	go func() { ended <- k.Run(t.Context()) }()
	select {
	case err := <-ended:
		require.NoError(t, err)
	case <-time.After(30 * time.Second):
		t.Fatal("it did not end")
	}
	assert.Equal(t, int32(2), looks.Load())
}

func TestFilesThatDoNotRest(t *testing.T) {
	folder := t.TempDir()
	tries := make(chan int, 9)
	n := 0
	k := &Keeper{Folders: []string{folder}, Quiet: 50 * time.Millisecond, Take: func(context.Context) (bool, error) {
		n++
		tries <- n
		return n < 3, nil
	}}
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- k.Run(ctx) }()
	for {
		require.NoError(t, os.WriteFile(filepath.Join(folder, "a.sav"), []byte(time.Now().String()), 0o600))
		if len(tries) > 0 {
			break
		}
		time.Sleep(60 * time.Millisecond) // a pace, not a wait: the first copy comes at some moment of it
	}
	for want := 1; want <= 3; want++ {
		assert.Equal(t, want, wait(t, tries))
	}
	cancel()
	require.NoError(t, <-ended)
}
