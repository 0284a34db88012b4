package footprint

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"endroit/core/trace"
)

// A run in a prefix is of the Windows program, not of Wine or its server.
func TestTheProgramOfARunInAPrefix(t *testing.T) {
	wine := func(args ...string) trace.Process {
		return trace.Process{Exe: "/usr/lib/wine/wine64-preloader", Args: args}
	}
	server := trace.Process{Exe: "/usr/lib/wine/wineserver64"}
	services := wine(`C:\windows\system32\services.exe`)
	game := wine("wine", `C:\Games\Fen\Fen.exe`, "-windowed")
	assert.Equal(t, "Fen.exe", nameOfProgram(game))
	assert.Equal(t, "wineserver64", nameOfProgram(server))
	assert.Equal(t, "sh", nameOfProgram(trace.Process{Exe: "/usr/bin/sh", Args: []string{"sh", "fen.exe"}}))
	for want, processes := range map[string][]trace.Process{
		"Fen.exe": {server, services, game, wine("wine", "fen.exe")},
		"":        {server, services},
	} {
		assert.Equal(t, want, windowsProgram(processes))
	}
	assert.Empty(t, windowsProgram([]trace.Process{game, wine("wine", "setup.exe")}), "which of two is not known")
}
