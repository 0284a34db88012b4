//go:build unix

package localpg

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestMain(m *testing.M) {
	if folder := os.Getenv("ENDROIT_LOCALPG"); folder != "" {
		if err := keeps(context.Background(), folder); err != nil {
			fmt.Println(err)
			os.Exit(1)
		}
		os.Exit(0)
	}
	os.Exit(m.Run())
}

// keeps starts a server, writes, stops it, starts it again and reads.
func keeps(ctx context.Context, folder string) error {
	for i := range 2 {
		s, err := Start(ctx, Options{Folder: folder, Fast: true})
		if err != nil {
			return err
		}
		conn, err := pgx.Connect(ctx, s.URL)
		if err != nil {
			return err
		}
		if i == 0 {
			_, err = conn.Exec(ctx, "CREATE TABLE kept AS SELECT 42 AS n")
		} else {
			var n int
			if err = conn.QueryRow(ctx, "SELECT n FROM kept").Scan(&n); err == nil && n != 42 {
				err = fmt.Errorf("%d was kept", n)
			}
		}
		_ = conn.Close(ctx)
		if err != nil {
			return err
		}
		if err := s.Stop(); err != nil {
			return err
		}
		if _, err := os.Stat(filepath.Join(s.Folder, "data", "postmaster.pid")); err == nil {
			return fmt.Errorf("the server still runs")
		}
	}
	return nil
}

func folder(t *testing.T) string {
	t.Helper()
	f, err := os.MkdirTemp("/tmp", "endroit-localpg-")
	require.NoError(t, err)
	require.NoError(t, os.Chmod(f, 0o755))
	t.Cleanup(func() { _ = os.RemoveAll(f) })
	return f
}

func TestDataPersists(t *testing.T) {
	require.NoError(t, keeps(t.Context(), filepath.Join(folder(t), "pg")))
}

func TestRunsUnprivileged(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("this run is an ordinary user's already")
	}
	const nobody = 65534
	f := folder(t)
	require.NoError(t, os.Chown(f, nobody, nobody))
	self, err := os.Executable()
	require.NoError(t, err)
	program, err := os.ReadFile(self)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(f, "test"), program, 0o755))
	c := exec.Command(filepath.Join(f, "test"))
	c.Dir = f
	c.Env = []string{"ENDROIT_LOCALPG=" + filepath.Join(f, "pg"), "HOME=" + f, "PATH=" + os.Getenv("PATH")}
	c.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: nobody, Gid: nobody}}
	out, err := c.CombinedOutput()
	require.NoError(t, err, string(out))
}

func TestChildEndsWithItsParent(t *testing.T) {
	f := filepath.Join(folder(t), "pg")
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	self, err := os.Executable()
	require.NoError(t, err)
	c := exec.CommandContext(ctx, self)
	c.Env = append(os.Environ(), "ENDROIT_LOCALPG="+f)
	require.NoError(t, c.Start())
	pid := filepath.Join(f, "data", "postmaster.pid")
	require.Eventually(t, func() bool { _, err := os.Stat(pid); return err == nil }, time.Minute, 5*time.Millisecond)
	require.NoError(t, c.Process.Kill())
	_ = c.Wait()
	assert.Eventually(t, func() bool { _, err := os.Stat(pid); return err != nil }, time.Minute, 20*time.Millisecond, "killed, it cannot stop the server itself")
}

func TestDatabasesAreRecreated(t *testing.T) {
	s, err := Start(t.Context(), Options{Folder: filepath.Join(folder(t), "pg"), Fast: true})
	require.NoError(t, err)
	defer func() { assert.NoError(t, s.Stop()) }()
	for range 2 {
		url, err := s.Database(t.Context(), `odd "name"`)
		require.NoError(t, err)
		conn, err := pgx.Connect(t.Context(), url)
		require.NoError(t, err)
		_, err = conn.Exec(t.Context(), "CREATE TABLE once (n int)")
		require.NoError(t, err)
		require.NoError(t, conn.Close(t.Context()))
	}
}
