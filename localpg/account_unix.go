//go:build unix

package localpg

import (
	"io/fs"
	"os/exec"
	"syscall"
)

func runAs(c *exec.Cmd, a *account) {
	if a != nil {
		c.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(a.uid), Gid: uint32(a.gid)}}
	}
}

func belongsTo(info fs.FileInfo, uid int) bool {
	return info.Sys().(*syscall.Stat_t).Uid == uint32(uid)
}
