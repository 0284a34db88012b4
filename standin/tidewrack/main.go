// Command tidewrack is a stand-in game: it behaves on disk as games do, driven by
// a script instead of a person. It reads a pack file all the time, hammers a
// log, saves slots through a temporary file, saves by itself now and then, and
// keeps settings, a cache, a profile and a lock. On Windows its settings are in the registry.
//
//	tidewrack [-pace real|free] [-build N] [-save-on-exit] SCRIPT      (- reads the script from standard input)
//
// A script has one command a line: load N, save N, play FRAMES, world REGIONS, set NAME
// VALUE, show NAME, hold N, shot, say WORDS, quit. Each answers with a line on standard output. A build
// refuses the slots of older ones. A world is saved as many files, all of one day. A slot that
// is held stays open until the game ends.
package main

import (
	"bufio"
	"encoding/binary"
	"errors"
	"flag"
	"fmt"
	"hash/crc32"
	"image"
	"image/png"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

func main() {
	pace := flag.String("pace", "real", "real: sixty frames a second; free: as fast as it goes")
	build := flag.Int("build", 2, "the game's build, which its slots carry")
	onExit := flag.Bool("save-on-exit", false, "save a slot at the end too")
	flag.Parse()
	if flag.NArg() != 1 {
		fmt.Fprintln(os.Stderr, "usage: tidewrack [-pace real|free] [-build N] [-save-on-exit] SCRIPT")
		os.Exit(2)
	}
	if err := run(flag.Arg(0), *pace == "free", byte(*build), *onExit); err != nil {
		fmt.Fprintln(os.Stderr, "tidewrack:", err)
		os.Exit(1)
	}
}

func run(script string, free bool, build byte, onExit bool) error {
	in := io.Reader(os.Stdin)
	if script != "-" {
		f, err := os.Open(script)
		if err != nil {
			return err
		}
		defer f.Close()
		in = f
	}
	g, err := start(free)
	if err != nil {
		return err
	}
	g.build, g.onExit = build, onExit
	lines := bufio.NewScanner(in)
	for lines.Scan() {
		words := strings.Fields(lines.Text())
		if len(words) == 0 || strings.HasPrefix(words[0], "#") {
			continue
		}
		answer, err := g.do(words[0], words[1:])
		if err != nil {
			return fmt.Errorf("%s: %w", lines.Text(), err)
		}
		fmt.Println(answer)
		if words[0] == "quit" {
			return nil
		}
	}
	_, err = g.do("quit", nil)
	return err
}

// game is what is being played.
type game struct {
	install, data, config, cache string
	free, onExit                 bool
	build                        byte
	frame, day, gold             int
	sum                          uint32
	settings                     map[string]string
	held                         *os.File
	scratch                      string
}

// start does what games do before the first picture: it reads its settings and
// profile, looks for slots, warms its cache and takes a lock.
func start(free bool) (*game, error) {
	exe, err := os.Executable()
	if err != nil {
		return nil, err
	}
	g := &game{
		install:  filepath.Dir(exe),
		free:     free,
		day:      1,
		settings: map[string]string{"volume": "80", "language": "en", "fullscreen": "yes"},
	}
	g.data, g.config, g.cache = folders()
	for _, d := range []string{filepath.Join(g.data, "slots"), g.config, g.cache} {
		if err := os.MkdirAll(d, 0o755); err != nil {
			return nil, err
		}
	}
	if f, err := os.OpenFile(filepath.Join(g.data, "running.lock"), os.O_CREATE|os.O_WRONLY, 0o644); err == nil {
		_ = f.Close()
	}
	if err := g.readSettings(); err != nil {
		return nil, err
	}
	_, _ = os.ReadFile(filepath.Join(g.data, "profile.bin"))
	if slots, err := os.ReadDir(filepath.Join(g.data, "slots")); err == nil {
		for _, s := range slots { // the list of saves in the menu
			_, _ = os.ReadFile(filepath.Join(g.data, "slots", s.Name()))
		}
	}
	if _, err := os.ReadFile(filepath.Join(g.cache, "shaders.bin")); err != nil {
		if err := os.WriteFile(filepath.Join(g.cache, "shaders.bin"), make([]byte, 64<<10), 0o644); err != nil {
			return nil, err
		}
	}
	g.scratch = filepath.Join(os.TempDir(), fmt.Sprintf("tidewrack-%d.dat", os.Getpid()))
	if err := os.WriteFile(g.scratch, make([]byte, 4096), 0o600); err != nil {
		return nil, err
	}
	return g, g.log("started")
}

func (g *game) do(command string, args []string) (string, error) {
	number := func() (int, error) {
		if len(args) != 1 {
			return 0, errors.New("one number is wanted")
		}
		return strconv.Atoi(args[0])
	}
	switch command {
	case "play":
		n, err := number()
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("played %d frames, day %d", n, g.day), g.play(n)
	case "save":
		n, err := number()
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("saved slot %d", n), g.save(fmt.Sprintf("slot%d.sav", n))
	case "load":
		n, err := number()
		if err != nil {
			return "", err
		}
		if err := g.load(fmt.Sprintf("slot%d.sav", n)); err != nil {
			return "", err
		}
		return fmt.Sprintf("loaded slot %d, day %d", n, g.day), nil
	case "world":
		n, err := number()
		if err != nil {
			return "", err
		}
		return fmt.Sprintf("saved a world of %d regions, day %d", n, g.day), g.world(n)
	case "set":
		if len(args) != 2 {
			return "", errors.New("a name and a value are wanted")
		}
		g.settings[args[0]] = args[1]
		return "set " + args[0], g.writeSettings()
	case "show":
		if len(args) != 1 {
			return "", errors.New("a name is wanted")
		}
		return args[0] + " is " + g.settings[args[0]], nil
	case "hold":
		n, err := number()
		if err != nil {
			return "", err
		}
		g.held, err = os.OpenFile(filepath.Join(g.data, "slots", fmt.Sprintf("slot%d.sav", n)), os.O_RDWR, 0)
		return fmt.Sprintf("holds slot %d", n), err
	case "shot":
		return "took a picture", g.shot()
	case "say":
		return strings.Join(args, " "), nil
	case "quit":
		return "bye", g.quit()
	}
	return "", errors.New("there is no such command")
}

const autosaveEvery = 150 // frames

// play renders frames: each takes some work, most look into the pack file, some
// write a line to the log.
func (g *game) play(frames int) error {
	zone := make([]byte, 256<<10)
	next := time.Now()
	for range frames {
		g.frame++
		if g.frame%10 == 0 {
			if err := g.readZone(zone); err != nil {
				return err
			}
		}
		for range 4 {
			g.sum = crc32.Update(g.sum, crc32.IEEETable, zone)
		}
		if g.frame%15 == 0 {
			if err := g.log(fmt.Sprintf("frame %d drawn", g.frame)); err != nil {
				return err
			}
		}
		if g.frame%120 == 0 {
			g.day++
			g.gold += 7
		}
		if g.frame%autosaveEvery == 0 {
			if err := g.save("autosave.sav"); err != nil {
				return err
			}
		}
		if !g.free {
			next = next.Add(time.Second / 60)
			time.Sleep(time.Until(next))
		}
	}
	return nil
}

// readZone opens the pack again for each zone, as many games do.
func (g *game) readZone(into []byte) error {
	f, err := os.Open(filepath.Join(g.install, "data", "world.pak"))
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = f.ReadAt(into, int64(g.frame%8)*int64(len(into)))
	if err == io.EOF {
		err = nil
	}
	return err
}

// save writes a slot through a temporary file: header, day, gold, the captain's
// name with its length before it, and a CRC-32 of all that at the end.
func (g *game) save(name string) error {
	b := []byte{'T', 'I', 'D', 'E', g.build, 0, 0, 0}
	b = binary.LittleEndian.AppendUint32(b, uint32(g.day))
	b = binary.LittleEndian.AppendUint32(b, uint32(g.gold))
	captain := "Captain Sedge"
	b = binary.LittleEndian.AppendUint16(b, uint16(len(captain)))
	b = append(b, captain...)
	for i := range 512 { // the map, as far as it is known
		b = append(b, byte(g.day*i*37))
	}
	b = binary.LittleEndian.AppendUint32(b, crc32.ChecksumIEEE(b))
	final := filepath.Join(g.data, "slots", name)
	if err := os.WriteFile(final+".tmp", b, 0o644); err != nil {
		return err
	}
	return os.Rename(final+".tmp", final)
}

// world saves a world: a file for each region, one after the other. Files of two days do not
// fit together.
func (g *game) world(regions int) error {
	g.day++
	folder := filepath.Join(g.data, "world")
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	for i := range regions {
		text := fmt.Sprintf("day %d\n", g.day)
		if err := os.WriteFile(filepath.Join(folder, fmt.Sprintf("region-%d.dat", i)), []byte(text), 0o644); err != nil {
			return err
		}
	}
	return nil
}

func (g *game) load(name string) error {
	b, err := os.ReadFile(filepath.Join(g.data, "slots", name))
	if err != nil {
		return err
	}
	if len(b) < 20 || string(b[:4]) != "TIDE" || crc32.ChecksumIEEE(b[:len(b)-4]) != binary.LittleEndian.Uint32(b[len(b)-4:]) {
		return errors.New("the slot is damaged")
	}
	if b[4] < g.build {
		return fmt.Errorf("the slot is of build %d, and this is build %d", b[4], g.build)
	}
	g.day, g.gold = int(binary.LittleEndian.Uint32(b[8:])), int(binary.LittleEndian.Uint32(b[12:]))
	return g.log("loaded " + name)
}

func (g *game) log(text string) error {
	f, err := os.OpenFile(filepath.Join(g.data, "tidewrack.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o644)
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = fmt.Fprintln(f, time.Now().Format(time.RFC3339Nano), text)
	return err
}

func (g *game) shot() error {
	dir := filepath.Join(g.data, "pictures")
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	f, err := os.Create(filepath.Join(dir, fmt.Sprintf("day-%d.png", g.day)))
	if err != nil {
		return err
	}
	defer f.Close()
	return png.Encode(f, image.NewGray(image.Rect(0, 0, 64, 36)))
}

func (g *game) quit() error {
	if g.onExit {
		if err := g.save("slot0.sav"); err != nil {
			return err
		}
	}
	profile := binary.LittleEndian.AppendUint32([]byte("TPRF\x01"), uint32(g.frame))
	if err := os.WriteFile(filepath.Join(g.data, "profile.bin"), profile, 0o644); err != nil {
		return err
	}
	if err := os.Remove(g.scratch); err != nil {
		return err
	}
	if err := os.Remove(filepath.Join(g.data, "running.lock")); err != nil {
		return err
	}
	return g.log("ended")
}
