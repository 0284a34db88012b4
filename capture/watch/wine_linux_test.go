package watch_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"endroit/standin/winetest"
)

// The tests of watching, as a Windows build that Wine runs.
func TestWatchingOnWindows(t *testing.T) {
	p := winetest.Prefix(t)
	for _, x := range []struct {
		pkg, run string
		passed   []string
	}{
		{"endroit/capture/watch", "Watch|Version", []string{"TestWatchSeesWhatChanges", "TestWatchToADepth", "TestWatchComparesAtTheEnd", "TestWatchKeepsVersions"}},
		{"endroit/capture", "Tree|Difference", []string{"TestTrees", "TestTimeOfADifference"}},
	} {
		out := p.Run(t, p.BuildTests(t, x.pkg), "-test.run", x.run, "-test.v")
		for _, name := range x.passed {
			assert.Contains(t, out, "--- PASS: "+name)
		}
	}
}
