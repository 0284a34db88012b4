package browser

import (
	"bufio"
	"errors"
	"os"
	"os/exec"
	"strings"
)

// Workbench starts an endroit workbench and returns the address that it printed; stop ends
// it.
func Workbench(c *exec.Cmd) (address string, stop func(), err error) {
	out, err := c.StdoutPipe()
	if err != nil {
		return "", nil, err
	}
	if err := c.Start(); err != nil {
		return "", nil, err
	}
	stop = func() { _ = c.Process.Signal(os.Interrupt); _ = c.Wait() }
	for lines := bufio.NewScanner(out); lines.Scan(); {
		if text := strings.TrimSpace(lines.Text()); strings.HasPrefix(text, "http://") {
			return text, stop, nil
		}
	}
	stop()
	return "", nil, errors.New("endroit workbench gave no address")
}
