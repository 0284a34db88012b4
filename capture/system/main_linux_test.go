//go:build amd64 || arm64

package system

import (
	"os"
	"testing"

	"endroit/capture/capturetest"
)

func TestMain(m *testing.M) {
	capturetest.Act()
	os.Exit(m.Run())
}
