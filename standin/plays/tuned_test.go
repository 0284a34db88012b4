package plays

import (
	"fmt"
	"slices"
)

// session is the usual order of a run: what is read at the start, what is done when
// something is saved, when a setting is changed, and at the end.
func session(start, save, set, quit func(g *Game)) func(g *Game) {
	do := func(f func(g *Game), g *Game) {
		if f != nil {
			f(g)
		}
	}
	return func(g *Game) {
		g.At(2)
		do(start, g)
		g.At(15)
		g.Cue("ready")
		for s := 20; s < 120; s += 10 {
			g.At(float64(s))
			g.Read("inst:data/pack1.dat")
		}
		g.At(120)
		do(save, g)
		g.At(122)
		g.Cue("saved")
		g.At(180)
		do(set, g)
		if set != nil {
			g.At(181.5)
			g.Cue("changed-setting")
		}
		g.At(240)
		do(quit, g)
	}
}

// All is the collection: those that weights were set by, then those that are held out.
var All = slices.Concat(tuned, tunedLater, tunedAtLast, tunedAtTheEnd, heldOut)

var tuned = []Play{
	{Name: "a slot through a temporary name, settings in their folder",
		Play: session(func(g *Game) {
			g.Has("data:tw/slots/slot1.sav", Bytes(500))
			g.Has("config:tw/settings.ini", Settings(80))
			g.Read("config:tw/settings.ini", "data:tw/slots/slot1.sav")
		}, func(g *Game) { g.Through("data:tw/slots/slot1.sav", "data:tw/slots/slot1.sav.tmp", Bytes(510)) },
			func(g *Game) { g.Write("config:tw/settings.ini", Settings(30)) }, nil),
		Save: []string{"data:tw/slots/slot1.sav"}, Config: []string{"config:tw/settings.ini"},
		At: []string{"save xdg-data:tw/slots/slot{slot}.sav", "config xdg-config:tw/settings.ini"}},
	{Name: "settings within the folder of saves",
		Play: session(func(g *Game) {
			g.Has("data:tw/saves/options.cfg", Settings(80))
			g.Has("data:tw/saves/game1.dat", Bytes(700))
			g.Read("data:tw/saves/options.cfg", "data:tw/saves/game1.dat")
		}, func(g *Game) { g.Write("data:tw/saves/game1.dat", Bytes(720)) }, func(g *Game) { g.Write("data:tw/saves/options.cfg", Settings(20)) }, nil),
		Save: []string{"data:tw/saves/game1.dat"}, Config: []string{"data:tw/saves/options.cfg"},
		At: []string{"save xdg-data:tw/saves/game{slot}.dat", "config xdg-data:tw/saves/options.cfg"}},
	{Name: "a log that is called save.dat",
		Play: session(func(g *Game) {
			g.Append("data:tw/save.dat", "start\n")
			g.Has("data:tw/world.bin", Bytes(900))
			g.Read("data:tw/world.bin")
			for s := range 30 {
				g.At(3 + float64(s)/4)
				g.Append("data:tw/save.dat", fmt.Sprintf("frame %d\n", s))
			}
		}, func(g *Game) { g.Append("data:tw/save.dat", "saving\n"); g.Write("data:tw/world.bin", Bytes(910)) }, nil,
			func(g *Game) { g.Append("data:tw/save.dat", "end\n") }),
		Save: []string{"data:tw/world.bin"}, At: []string{"save xdg-data:tw/world.bin"}},
	{Name: "a save that is called like a log",
		Play: session(func(g *Game) {
			g.Has("data:tw/captains.log", Bytes(900))
			g.Read("data:tw/captains.log")
		}, func(g *Game) { g.Through("data:tw/captains.log", "data:tw/captains.new", Bytes(950)) }, nil, nil),
		Save: []string{"data:tw/captains.log"}, At: []string{"save xdg-data:tw/captains.log"}},
	{Name: "an automatic save every ten seconds",
		Play: session(func(g *Game) {
			g.Has("data:tw/auto.sav", Bytes(400))
			g.Read("data:tw/auto.sav")
			for s := 10; s < 110; s += 10 {
				g.At(float64(s))
				g.Through("data:tw/auto.sav", "data:tw/auto.tmp", Bytes(400+s))
			}
		}, func(g *Game) { g.Through("data:tw/auto.sav", "data:tw/auto.tmp", Bytes(600)) }, nil, nil),
		Save: []string{"data:tw/auto.sav"}, At: []string{"save xdg-data:tw/auto.sav"}},
	{Name: "a backup of the old save",
		Play: session(func(g *Game) {
			g.Has("data:tw/world.dat", Bytes(800))
			g.Read("data:tw/world.dat")
		}, func(g *Game) {
			g.Rename("data:tw/world.dat", "data:tw/world.bak")
			g.Write("data:tw/world.dat", Bytes(810))
		}, nil, nil),
		Save: []string{"data:tw/world.dat", "data:tw/world.bak"}, At: []string{"save xdg-data:tw/world.dat", "save xdg-data:tw/world.bak"}},
	{Name: "the launcher's folder for the account",
		Play: session(func(g *Game) {
			g.Has("acc:418820/remote/progress.bin", Bytes(300))
			g.Read("acc:418820/remote/progress.bin")
		}, func(g *Game) { g.Write("acc:418820/remote/progress.bin", Bytes(310)) }, nil, nil), Ref: "418820",
		Save: []string{"acc:418820/remote/progress.bin"}, At: []string{"save account-data:{ref}/remote/progress.bin"}},
	{Name: "achievements apart",
		Play: session(func(g *Game) {
			g.Has("data:tw/slot2.sav", Bytes(300))
			g.Has("data:tw/achievements.json", JSON(1))
			g.Read("data:tw/slot2.sav", "data:tw/achievements.json")
		}, func(g *Game) { g.Write("data:tw/slot2.sav", Bytes(320)) }, nil, func(g *Game) { g.Write("data:tw/achievements.json", JSON(2)) }),
		Save: []string{"data:tw/slot2.sav", "data:tw/achievements.json"}, At: []string{"save xdg-data:tw/slot{slot}.sav", "save xdg-data:tw/achievements.json"}},
	{Name: "saves inside the installation",
		Play: session(func(g *Game) {
			g.Has("inst:saves/campaign.dat", Bytes(300))
			g.Has("inst:tw.ini", Settings(50))
			g.Read("inst:tw.ini", "inst:saves/campaign.dat")
		}, func(g *Game) { g.Write("inst:saves/campaign.dat", Bytes(320)) }, func(g *Game) { g.Write("inst:tw.ini", Settings(40)) }, nil),
		Save: []string{"inst:saves/campaign.dat"}, Config: []string{"inst:tw.ini"}, At: []string{"save install:saves/campaign.dat", "config install:tw.ini"}},
	{Name: "a database",
		Play: session(func(g *Game) {
			g.Has("data:tw/profile.db", append([]byte("SQLite format 3\x00"), Bytes(4096)...))
			g.Read("data:tw/profile.db")
		}, func(g *Game) {
			g.Write("data:tw/profile.db-journal", Bytes(512))
			g.Update("data:tw/profile.db", append([]byte("SQLite format 3\x00"), Bytes(4096)...))
			g.Remove("data:tw/profile.db-journal")
		}, nil, nil),
		Save: []string{"data:tw/profile.db"}, At: []string{"save xdg-data:tw/profile.db"}},
	{Name: "many small files for one world",
		Play: session(func(g *Game) {
			for i := range 40 {
				g.Has(fmt.Sprintf("data:tw/world/r.%d.chunk", i), Bytes(100))
				g.Read(fmt.Sprintf("data:tw/world/r.%d.chunk", i))
			}
		}, func(g *Game) {
			for i := range 40 {
				g.Write(fmt.Sprintf("data:tw/world/r.%d.chunk", i), Bytes(110))
			}
		}, nil, nil),
		Save: chunks(), At: []string{"save xdg-data:tw/world/r.{slot}.chunk"}},
	{Name: "nothing local at all",
		Play: session(func(g *Game) { g.Append("state:tw/tw.log", "hello\n") }, nil, nil, func(g *Game) { g.Append("state:tw/tw.log", "bye\n") })},
	{Name: "settings as JSON, written at every end",
		Play: session(func(g *Game) {
			g.Has("config:tw/prefs.json", JSON(1))
			g.Has("data:tw/profile.dat", Bytes(99))
			g.Read("config:tw/prefs.json", "data:tw/profile.dat")
		}, func(g *Game) { g.Write("data:tw/profile.dat", Bytes(98)) }, nil, func(g *Game) { g.Write("config:tw/prefs.json", JSON(1)) }),
		Save: []string{"data:tw/profile.dat"}, Config: []string{"config:tw/prefs.json"}, At: []string{"save xdg-data:tw/profile.dat", "config xdg-config:tw/prefs.json"}},
	{Name: "a hidden file at home",
		Play: session(func(g *Game) {
			g.Has("home:.twscores", []byte("10 mira\n5 tobin\n"))
			g.Read("home:.twscores")
		}, nil, nil, func(g *Game) { g.Write("home:.twscores", []byte("11 mira\n5 tobin\n")) }),
		Save: []string{"home:.twscores"}, At: []string{"save home:.twscores"}},
	{Name: "everything in the folder for settings",
		Play: session(func(g *Game) {
			g.Has("config:tw/game.json", JSON(3))
			g.Has("config:tw/settings.json", JSON(1))
			g.Read("config:tw/settings.json", "config:tw/game.json")
		}, func(g *Game) { g.Through("config:tw/game.json", "config:tw/game.json.new", JSON(4)) }, func(g *Game) { g.Write("config:tw/settings.json", JSON(2)) }, nil),
		Save: []string{"config:tw/game.json"}, Config: []string{"config:tw/settings.json"}, At: []string{"save xdg-config:tw/game.json", "config xdg-config:tw/settings.json"}},
	{Name: "progress in the folder for caches",
		Play: session(func(g *Game) {
			g.Has("cache:tw/slot1.sav", Bytes(500))
			g.Read("cache:tw/slot1.sav")
			g.Write("cache:tw/thumbs/1.png", []byte("\x89PNG\r\n\x1a\n...."))
		}, func(g *Game) { g.Through("cache:tw/slot1.sav", "cache:tw/slot1.tmp", Bytes(505)) }, nil, nil),
		Save: []string{"cache:tw/slot1.sav"}, At: []string{"save xdg-cache:tw/slot{slot}.sav"}},
	{Name: "an account's number in the path",
		Play: session(func(g *Game) {
			g.Has("data:tw/76561190000012345/main.sav", Bytes(500))
			g.Read("data:tw/76561190000012345/main.sav")
		}, func(g *Game) { g.Write("data:tw/76561190000012345/main.sav", Bytes(505)) }, nil, nil),
		Save: []string{"data:tw/76561190000012345/main.sav"}, At: []string{"save xdg-data:tw/{account}/main.sav"}},
	{Name: "pictures and replays",
		Play: session(nil, func(g *Game) { g.Write("data:tw/quick.sav", Bytes(400)) }, nil, func(g *Game) {
			g.Write("data:tw/screenshots/2026-11-20_1.png", []byte("\x89PNG\r\n\x1a\n...."))
			g.Write("data:tw/replays/run7.rpl", Bytes(2000))
		}),
		Save: []string{"data:tw/quick.sav"}, Capture: []string{"data:tw/screenshots/2026-11-20_1.png", "data:tw/replays/run7.rpl"},
		At: []string{"save xdg-data:tw/quick.sav", "capture xdg-data:tw/screenshots/*.png", "capture xdg-data:tw/replays/run*.rpl"}},
	{Name: "a Windows build in the roaming folder", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("roaming:Fen/slot1.sav", Bytes(500))
			g.Has("roaming:Fen/config.ini", Settings(3))
			g.Read("roaming:Fen/config.ini", "roaming:Fen/slot1.sav")
		}, func(g *Game) { g.Write("roaming:Fen/slot1.sav", Bytes(520)) }, func(g *Game) { g.Write("roaming:Fen/config.ini", Settings(5)) }, nil),
		Save: []string{"roaming:Fen/slot1.sav"}, Config: []string{"roaming:Fen/config.ini"}, At: []string{"save roaming-app-data:Fen/slot{slot}.sav", "config roaming-app-data:Fen/config.ini"}},
	{Name: "saves in the registry alone", Prefix: true, Title: "Copperfen",
		Play:   session(nil, nil, func(g *Game) { g.Set("registry:HKEY_CURRENT_USER/Software/Reed/Fen/", "Volume=3") }, nil),
		Config: []string{"registry:HKEY_CURRENT_USER/Software/Reed/Fen/"}, At: []string{"config registry:HKEY_CURRENT_USER/Software/Reed/Fen/"}},
	{Name: "documents and saved games", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("saved:Fen/profile.bin", Bytes(500))
			g.Has("docs:Fen/keybindings.xml", []byte("<?xml version='1.0'?><keys/>"))
			g.Read("docs:Fen/keybindings.xml", "saved:Fen/profile.bin")
		}, func(g *Game) { g.Through("saved:Fen/profile.bin", "saved:Fen/profile.bin.tmp", Bytes(510)) }, func(g *Game) { g.Write("docs:Fen/keybindings.xml", []byte("<?xml version='1.0'?><keys a='b'/>")) }, nil),
		Save: []string{"saved:Fen/profile.bin"}, Config: []string{"docs:Fen/keybindings.xml"}, At: []string{"save saved-games:Fen/profile.bin", "config documents:Fen/keybindings.xml"}},
	{Name: "a crash report and a cache in the local folder", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Write("local:Fen/Cache/index.bin", Bytes(600))
			g.Write("local:Fen/Crashes/last.dmp", Bytes(60))
			g.Has("local:Fen/world1.dat", Bytes(500))
			g.Read("local:Fen/world1.dat")
		}, func(g *Game) { g.Write("local:Fen/world1.dat", Bytes(520)) }, nil, nil),
		Save: []string{"local:Fen/world1.dat"}, At: []string{"save local-app-data:Fen/world{slot}.dat"}},
	{Name: "one file for all, text by name",
		Play: session(func(g *Game) {
			g.Has("config:tw.conf", Settings(10))
			g.Read("config:tw.conf")
		}, nil, func(g *Game) { g.Write("config:tw.conf", Settings(11)) }, nil),
		Config: []string{"config:tw.conf"}, At: []string{"config xdg-config:tw.conf"}},
	{Name: "a log that stays open",
		Play: session(func(g *Game) {
			g.Has("data:tw/progress.dat", Bytes(50))
			g.Read("data:tw/progress.dat")
			g.Append("data:tw/output.txt", "start\n")
			for s := 3; s < 100; s += 5 {
				g.At(float64(s))
				g.Grow("data:tw/output.txt", "another line\n")
			}
		}, func(g *Game) { g.Grow("data:tw/output.txt", "saving\n"); g.Write("data:tw/progress.dat", Bytes(51)) }, nil, nil),
		Save: []string{"data:tw/progress.dat"}, At: []string{"save xdg-data:tw/progress.dat"}},
	{Name: "a lock and a process id beside the save",
		Play: session(func(g *Game) {
			g.Write("data:tw/.lock", nil)
			g.Write("data:tw/tw.pid", []byte("4711\n"))
			g.Has("data:tw/campaign.bin", Bytes(200))
			g.Read("data:tw/campaign.bin")
		}, func(g *Game) { g.Write("data:tw/campaign.bin", Bytes(210)) }, nil, func(g *Game) { g.Remove("data:tw/.lock", "data:tw/tw.pid") }),
		Save: []string{"data:tw/campaign.bin"}, At: []string{"save xdg-data:tw/campaign.bin"}},
	{Name: "saved at the end alone",
		Play: session(func(g *Game) {
			g.Has("data:tw/universe.bin", Bytes(3000))
			g.Read("data:tw/universe.bin")
		}, nil, nil, func(g *Game) { g.Write("data:tw/universe.bin", Bytes(3100)) }),
		Save: []string{"data:tw/universe.bin"}, At: []string{"save xdg-data:tw/universe.bin"}},
	{Name: "the state folder",
		Play: session(func(g *Game) {
			g.Has("state:tw/run.bin", Bytes(300))
			g.Read("state:tw/run.bin")
			g.Append("state:tw/tw.log", "x\n")
		}, func(g *Game) {
			g.Through("state:tw/run.bin", "state:tw/run.bin~", Bytes(320))
			g.Append("state:tw/tw.log", "y\n")
		}, nil, nil),
		Save: []string{"state:tw/run.bin"}, At: []string{"save xdg-state:tw/run.bin"}},
	{Name: "a save by its date",
		Play: session(nil, func(g *Game) { g.Write("data:tw/saves/2026-11-20 18-02-11.sav", Bytes(300)) }, nil, func(g *Game) { g.Write("data:tw/saves/2026-11-20 18-04-00.sav", Bytes(300)) }),
		Save: []string{"data:tw/saves/2026-11-20 18-02-11.sav", "data:tw/saves/2026-11-20 18-04-00.sav"}, At: []string{"save xdg-data:tw/saves/*.sav"}},
	{Name: "an index beside the slots",
		Play: session(func(g *Game) {
			g.Has("data:tw/saves/index.json", JSON(1))
			g.Has("data:tw/saves/slot3.bin", Bytes(400))
			g.Read("data:tw/saves/index.json", "data:tw/saves/slot3.bin")
		}, func(g *Game) {
			g.Write("data:tw/saves/slot3.bin", Bytes(410))
			g.Write("data:tw/saves/index.json", JSON(2))
		}, nil, nil),
		Save: []string{"data:tw/saves/slot3.bin", "data:tw/saves/index.json"}, At: []string{"save xdg-data:tw/saves/slot{slot}.bin", "save xdg-data:tw/saves/index.json"}},
	{Name: "telemetry that waits to be sent",
		Play: session(func(g *Game) {
			g.Has("data:tw/hero.dat", Bytes(400))
			g.Read("data:tw/hero.dat")
			for i := range 6 {
				g.At(5 + float64(i)*12)
				g.Write(fmt.Sprintf("data:tw/telemetry/q%d.json", i), JSON(i))
				g.Remove(fmt.Sprintf("data:tw/telemetry/q%d.json", i))
			}
		}, func(g *Game) { g.Write("data:tw/hero.dat", Bytes(410)) }, nil, nil),
		Save: []string{"data:tw/hero.dat"}, At: []string{"save xdg-data:tw/hero.dat"}},
	{Name: "a setting that is written when it changes, under an odd name",
		Play: session(func(g *Game) {
			g.Has("data:tw/user.bin", Bytes(64))
			g.Has("data:tw/slot1.sav", Bytes(500))
			g.Read("data:tw/user.bin", "data:tw/slot1.sav")
		}, func(g *Game) { g.Write("data:tw/slot1.sav", Bytes(500)) }, func(g *Game) { g.Write("data:tw/user.bin", Bytes(64)) }, nil),
		Save: []string{"data:tw/slot1.sav"}, Config: []string{"data:tw/user.bin"}, At: []string{"save xdg-data:tw/slot{slot}.sav", "config xdg-data:tw/user.bin"}},
	{Name: "key bindings beside other settings",
		Play: session(func(g *Game) {
			g.Has("config:tw/controls.cfg", Settings(1))
			g.Has("config:tw/video.cfg", Settings(2))
			g.Read("config:tw/controls.cfg", "config:tw/video.cfg")
		}, nil, func(g *Game) {
			g.Write("config:tw/controls.cfg", Settings(3))
			g.Write("config:tw/video.cfg", Settings(4))
		}, nil),
		Config: []string{"config:tw/controls.cfg", "config:tw/video.cfg"}, At: []string{"config xdg-config:tw/controls.cfg", "config xdg-config:tw/video.cfg"}},
	{Name: "a shader cache that is written near a save",
		Play: session(func(g *Game) {
			g.Has("data:tw/chapter2.sav", Bytes(500))
			g.Read("data:tw/chapter2.sav")
		}, func(g *Game) {
			g.Write("data:tw/shaders/ab12.bin", Bytes(9000))
			g.Write("data:tw/chapter2.sav", Bytes(505))
		}, nil, nil),
		Save: []string{"data:tw/chapter2.sav"}, At: []string{"save xdg-data:tw/chapter{slot}.sav"}},
	{Name: "what came with the game is read all the time",
		Play: session(func(g *Game) {
			g.Has("inst:data/levels/level1.sav", Bytes(900))
			g.Has("data:tw/player.prf", Bytes(90))
			g.Read("inst:data/levels/level1.sav", "data:tw/player.prf")
			for s := 5; s < 60; s += 5 {
				g.At(float64(s))
				g.Read("inst:data/levels/level1.sav")
			}
		}, func(g *Game) { g.Write("data:tw/player.prf", Bytes(95)) }, nil, nil),
		Save: []string{"data:tw/player.prf"}, At: []string{"save xdg-data:tw/player.prf"}},
	{Name: "three slots",
		Play: session(func(g *Game) {
			for i := 1; i <= 3; i++ {
				g.Has(fmt.Sprintf("data:tw/file%d.rpgsave", i), Bytes(300))
				g.Read(fmt.Sprintf("data:tw/file%d.rpgsave", i))
			}
		}, func(g *Game) {
			g.Write("data:tw/file1.rpgsave", Bytes(310))
			g.At(121)
			g.Write("data:tw/file2.rpgsave", Bytes(310))
		}, nil, nil),
		Save: []string{"data:tw/file1.rpgsave", "data:tw/file2.rpgsave"}, At: []string{"save xdg-data:tw/file{slot}.rpgsave"}},
	{Name: "a folder for each slot",
		Play: session(func(g *Game) {
			g.Has("data:tw/saves/0/state.bin", Bytes(300))
			g.Read("data:tw/saves/0/state.bin")
		}, func(g *Game) {
			g.Write("data:tw/saves/0/state.bin", Bytes(310))
			g.Write("data:tw/saves/1/state.bin", Bytes(310))
		}, nil, nil),
		Save: []string{"data:tw/saves/0/state.bin", "data:tw/saves/1/state.bin"}, At: []string{"save xdg-data:tw/saves/{slot}/state.bin"}},
	{Name: "a marker of the last run",
		Play: session(func(g *Game) {
			g.Has("data:tw/quest.dat", Bytes(300))
			g.Read("data:tw/quest.dat")
			g.Write("data:tw/session.tmp", []byte("1"))
		}, func(g *Game) { g.Write("data:tw/quest.dat", Bytes(310)) }, nil, func(g *Game) { g.Remove("data:tw/session.tmp") }),
		Save: []string{"data:tw/quest.dat"}, At: []string{"save xdg-data:tw/quest.dat"}},
	{Name: "high scores as text",
		Play: session(func(g *Game) {
			g.Has("data:tw/highscores.txt", []byte("100 ysolde\n"))
			g.Read("data:tw/highscores.txt")
		}, nil, nil, func(g *Game) { g.Write("data:tw/highscores.txt", []byte("120 mira\n100 ysolde\n")) }),
		Save: []string{"data:tw/highscores.txt"}, At: []string{"save xdg-data:tw/highscores.txt"}},
	{Name: "a mod list that the person changed",
		Play: session(func(g *Game) {
			g.Has("config:tw/mods.toml", []byte("mods = []\nload = true\n"))
			g.Has("data:tw/colony.xml", []byte("<?xml version='1.0'?><colony day='1'/>"))
			g.Read("config:tw/mods.toml", "data:tw/colony.xml")
		}, func(g *Game) { g.Write("data:tw/colony.xml", []byte("<?xml version='1.0'?><colony day='2'/>")) }, func(g *Game) { g.Write("config:tw/mods.toml", []byte("mods = ['a']\nload = true\n")) }, nil),
		Save: []string{"data:tw/colony.xml"}, Config: []string{"config:tw/mods.toml"}, At: []string{"save xdg-data:tw/colony.xml", "config xdg-config:tw/mods.toml"}},
	{Name: "a cloud copy beside the save",
		Play: session(func(g *Game) {
			g.Has("data:tw/main.sav", Bytes(300))
			g.Has("acc:cloud/main.sav", Bytes(300))
			g.Read("acc:cloud/main.sav", "data:tw/main.sav")
		}, func(g *Game) { b := Bytes(310); g.Write("data:tw/main.sav", b); g.Write("acc:cloud/main.sav", b) }, nil, nil),
		Save: []string{"data:tw/main.sav", "acc:cloud/main.sav"}, At: []string{"save xdg-data:tw/main.sav", "save account-data:cloud/main.sav"}},
	{Name: "a locale that is read and a dictionary that is built",
		Play: session(func(g *Game) {
			g.Has("inst:data/lang/en.ini", Settings(1))
			g.Read("inst:data/lang/en.ini")
			g.Write("cache:tw/words.idx", Bytes(700))
			g.Has("data:tw/hand.sav", Bytes(30))
			g.Read("data:tw/hand.sav")
		}, func(g *Game) { g.Write("data:tw/hand.sav", Bytes(31)) }, nil, nil),
		Save: []string{"data:tw/hand.sav"}, At: []string{"save xdg-data:tw/hand.sav"}},
	{Name: "an old folder of the game's own at home",
		Play: session(func(g *Game) {
			g.Has("home:.tw/options", Settings(9))
			g.Has("home:.tw/save.bin", Bytes(120))
			g.Read("home:.tw/options", "home:.tw/save.bin")
		}, func(g *Game) { g.Write("home:.tw/save.bin", Bytes(125)) }, func(g *Game) { g.Write("home:.tw/options", Settings(8)) }, nil),
		Save: []string{"home:.tw/save.bin"}, Config: []string{"home:.tw/options"}, At: []string{"save home:.tw/save.bin", "config home:.tw/options"}},
	{Name: "a recording of the run, for looking at it again",
		Play: session(func(g *Game) {
			g.Has("data:tw/career.sav", Bytes(300))
			g.Read("data:tw/career.sav")
		}, func(g *Game) { g.Write("data:tw/career.sav", Bytes(310)) }, nil, func(g *Game) { g.Write("data:tw/recordings/last.dem", Bytes(9000)) }),
		Save: []string{"data:tw/career.sav"}, Capture: []string{"data:tw/recordings/last.dem"}, At: []string{"save xdg-data:tw/career.sav", "capture xdg-data:tw/recordings/last.dem"}},
	{Name: "levels that are unpacked at the start",
		Play: session(func(g *Game) {
			for i := range 5 {
				g.Write(fmt.Sprintf("data:tw/unpacked/level%d.bin", i), Bytes(2000))
			}
			for i := range 5 {
				g.Read(fmt.Sprintf("data:tw/unpacked/level%d.bin", i))
			}
			g.Has("data:tw/tale.sav", Bytes(300))
			g.Read("data:tw/tale.sav")
		}, func(g *Game) { g.Write("data:tw/tale.sav", Bytes(310)) }, nil, func(g *Game) {
			for i := range 5 {
				g.Remove(fmt.Sprintf("data:tw/unpacked/level%d.bin", i))
			}
		}),
		Save: []string{"data:tw/tale.sav"}, At: []string{"save xdg-data:tw/tale.sav"}},
	{Name: "two profiles, one in use",
		Play: session(func(g *Game) {
			for _, n := range []string{"ysolde", "tobin"} {
				g.Has("data:tw/profiles/"+n+".dat", Bytes(200))
				g.Read("data:tw/profiles/" + n + ".dat")
			}
		}, func(g *Game) { g.Write("data:tw/profiles/tobin.dat", Bytes(210)) }, nil, nil),
		Save: []string{"data:tw/profiles/tobin.dat"}, At: []string{"save xdg-data:tw/profiles/tobin.dat"}},
}

func chunks() (names []string) {
	for i := range 40 {
		names = append(names, fmt.Sprintf("data:tw/world/r.%d.chunk", i))
	}
	return names
}

// HeldOut reports whether a play is held out of tuning.
func HeldOut(i int) bool { return i >= len(All)-len(heldOut) }
