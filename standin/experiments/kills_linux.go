package experiments

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"endroit/core/proof"
	"endroit/standin/keeper"
)

// tries bounds how often one experiment is killed before it is left alone.
const tries = 12

// Kill leads experiments that are killed at random moments, again and again, until so many
// kills were done. Each is gone on with, or taken back, and in the end the files have to be
// as they were.
func Kill(ctx context.Context, programs Programs, folder string, kills int, seed uint64) (killed, led int, faults []string, err error) {
	random := rand.New(rand.NewPCG(seed, 17))
	for n := 0; killed < kills; n++ {
		p := keeper.All[n%len(keeper.All)]
		if p.Name == "older" { // its service remembers each start: another run is another game
			continue
		}
		home := filepath.Join(folder, fmt.Sprint(n))
		if err := Prepare(ctx, programs, p, home); err != nil {
			return killed, led, faults, err
		}
		before, err := digests(home)
		if err != nil {
			return killed, led, faults, err
		}
		length, over := 600*time.Millisecond, false
		for range tries {
			done, err := killedAt(ctx, programs, p, home, time.Duration(random.Int64N(int64(length))))
			if err != nil {
				return killed, led, faults, err
			}
			if over = done; over {
				break
			}
			killed++
		}
		args := arguments(programs, p)
		if !over && random.IntN(2) == 0 {
			args = slices.Insert(args, 2, "--take-back")
		}
		if !over {
			out, err := command(ctx, home, programs.Endroit, args...).CombinedOutput()
			var exit *exec.ExitError
			// 7: nothing was decided; 3: there was nothing to take back
			if err != nil && !(errors.As(err, &exit) && (exit.ExitCode() == 7 || exit.ExitCode() == 3)) {
				faults = append(faults, fmt.Sprintf("%s in %s: %v: %s", p.Name, home, err, out))
				continue
			}
		}
		led++
		after, err := digests(home)
		if err != nil {
			return killed, led, faults, err
		}
		if p.Aim == proof.Nothing { // the run before it changes them too
			before, after = names(before), names(after)
		}
		if !slices.Equal(before, after) {
			faults = append(faults, fmt.Sprintf("%s in %s: the files are %v, and were %v", p.Name, home, after, before))
		}
	}
	return killed, led, faults, nil
}

func names(list []string) (out []string) {
	for _, l := range list {
		name, _, _ := strings.Cut(l, " ")
		out = append(out, name)
	}
	return out
}

// killedAt starts an experiment, or goes on with it, and kills it with all that it started
// after a while; done is whether it was over before.
func killedAt(ctx context.Context, programs Programs, p keeper.Play, home string, after time.Duration) (done bool, err error) {
	c := command(ctx, home, programs.Endroit, arguments(programs, p)...)
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := c.Start(); err != nil {
		return false, err
	}
	ended := make(chan error, 1)
	go func() { ended <- c.Wait() }()
	select {
	case <-ended:
		return true, nil
	case <-time.After(after):
	}
	_ = syscall.Kill(c.Process.Pid, syscall.SIGKILL) // the program alone: a game that runs on is the harder case
	<-ended
	time.Sleep(20 * time.Millisecond)
	_ = syscall.Kill(-c.Process.Pid, syscall.SIGKILL)
	return false, nil
}
