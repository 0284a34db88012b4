//go:build amd64 || arm64

package calls

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture/capturetest"
)

// inMounts runs a script where it may mount for itself.
func inMounts(t *testing.T, script string) capturetest.Observed {
	t.Helper()
	if out, err := exec.Command("unshare", "-Urm", "true").CombinedOutput(); err != nil {
		t.Skipf("no mounts of one's own can be made here: %v %s", err, out)
	}
	got := observe(t, "", func(o *Options) { o.Command = []string{"unshare", "-Urm", "sh", "-ec", script} })
	require.Equal(t, 0, got.Result.Status)
	var own []string
	for _, e := range got.Events {
		if !strings.HasPrefix(e, "list ") {
			own = append(own, e)
		}
	}
	got.Events = own
	return got
}

func TestMountsThatAreMadeLater(t *testing.T) {
	got := inMounts(t, `mkdir one two; echo a >two/before.sav; mount --bind one two; echo b >two/after.sav; cat two/after.sav >/dev/null; mv two/after.sav two/moved.sav; umount two; echo c >two/again.sav`)
	assert.Equal(t, []string{"make-folder one", "make-folder two", "create two/before.sav", "create one/after.sav", "read one/after.sav", "rename one/after.sav one/moved.sav", "create two/again.sav"}, got.Events)
}

func TestLinksAndParentsInAMountOfItsOwn(t *testing.T) {
	got := inMounts(t, `mkdir real inner other; mount --bind . /mnt; cd /mnt; ln -s /mnt/real abs; echo a >abs/a.sav; mount --bind other inner; echo b >inner/../up.sav; echo c >/mnt/inner/c.sav; cd inner; echo d >../d.sav`)
	assert.Equal(t, []string{"make-folder real", "make-folder inner", "make-folder other", "symlink abs", "create real/a.sav", "create up.sav", "create other/c.sav", "create d.sav"}, got.Events)
}

// What is written to an overlay lands in its upper folder.
func TestAnOverlay(t *testing.T) {
	if exec.Command("unshare", "-Urm", "sh", "-ec", "cd /tmp; d=$(mktemp -d); mkdir $d/l $d/u $d/w $d/m; mount -t overlay overlay -o lowerdir=$d/l,upperdir=$d/u,workdir=$d/w $d/m").Run() != nil {
		t.Skip("no overlay can be mounted here")
	}
	got := inMounts(t, `mkdir lower upper work merged; echo a >lower/old.sav; mount -t overlay overlay -o "lowerdir=$PWD/lower,upperdir=$PWD/upper,workdir=$PWD/work" merged; echo b >merged/new.sav; echo c >>merged/old.sav; echo d >merged/t; mv merged/t merged/named.sav`)
	assert.Subset(t, got.Events, []string{"create upper/new.sav", "append upper/old.sav", "create upper/t", "rename upper/t upper/named.sav"})
	assert.EqualValues(t, 2, got.After["upper/new.sav"].Size)
	assert.EqualValues(t, 4, got.After["upper/old.sav"].Size)
}

func init() {
	capturetest.Acts["above-its-root"] = func() error {
		if err := errors.Join(os.MkdirAll("jail/sub", 0o700), os.Symlink("/sub", "jail/abs"), syscall.Chroot("jail"), os.Chdir("/")); err != nil {
			return err
		}
		for _, name := range []string{"/../../a.sav", "../b.sav", "abs/c.sav", "/sub/../d.sav"} {
			if err := opening(name, unix.O_CREAT|unix.O_WRONLY); err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
		}
		return nil
	}
}

func TestPathsCannotEscapeARoot(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("changing the root needs the right to")
	}
	got := observe(t, "above-its-root", nil)
	require.Equal(t, 0, got.Result.Status)
	assert.Equal(t, []string{"make-folder jail", "make-folder jail/sub", "symlink jail/abs", "create jail/a.sav", "create jail/b.sav", "create jail/sub/c.sav", "create jail/d.sav"}, got.Events)
}
