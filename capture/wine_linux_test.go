package capture_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"endroit/standin/winetest"
)

// The tests of watching, as a Windows build that Wine runs.
func TestWatchingOnWindows(t *testing.T) {
	p := winetest.Prefix(t)
	out := p.Run(t, p.BuildTests(t, "endroit/capture"), "-test.run", "Watch|Version|Tree", "-test.v")
	for _, name := range []string{"TestWatchSeesWhatChanges", "TestWatchToADepth", "TestWatchComparesAtTheEnd", "TestWatchKeepsVersions"} {
		assert.Contains(t, out, "--- PASS: "+name)
	}
}
