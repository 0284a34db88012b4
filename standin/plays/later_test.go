package plays

import "fmt"

// uncued is a run in which nobody marked a moment.
func uncued(start, save, quit func(g *Game)) func(g *Game) {
	return func(g *Game) {
		g.At(2)
		start(g)
		for s := 20; s < 120; s += 10 {
			g.At(float64(s))
			g.Read("inst:data/pack2.dat")
		}
		g.At(130)
		save(g)
		g.At(260)
		if quit != nil {
			quit(g)
		}
	}
}

// tunedLater were held out once. What they showed was looked at, so that weights were set
// by them too.
var tunedLater = []Play{
	{Name: "rolling automatic saves and a quick one",
		Play: session(func(g *Game) {
			for i := 1; i <= 3; i++ {
				g.Has(fmt.Sprintf("data:tw/saves/auto%d.sav", i), Bytes(400))
			}
			g.Read("data:tw/saves/auto3.sav")
			for i := 1; i <= 3; i++ {
				g.At(30 + 20*float64(i))
				g.Through(fmt.Sprintf("data:tw/saves/auto%d.sav", i), "data:tw/saves/auto.tmp", Bytes(420))
			}
		}, func(g *Game) { g.Through("data:tw/saves/quick.sav", "data:tw/saves/quick.tmp", Bytes(450)) }, nil, nil),
		Save: []string{"data:tw/saves/auto1.sav", "data:tw/saves/auto2.sav", "data:tw/saves/auto3.sav", "data:tw/saves/quick.sav"},
		At:   []string{"save xdg-data:tw/saves/auto{slot}.sav", "save xdg-data:tw/saves/quick.sav"}},
	{Name: "a log that is turned over at each start",
		Play: session(func(g *Game) {
			g.Has("data:tw/engine.log", []byte("old\n"))
			g.Rename("data:tw/engine.log", "data:tw/engine.log.1")
			g.Append("data:tw/engine.log", "start\n")
			g.Has("data:tw/hero.bin", Bytes(300))
			g.Read("data:tw/hero.bin")
		}, func(g *Game) {
			g.Append("data:tw/engine.log", "saved\n")
			g.Write("data:tw/hero.bin", Bytes(305))
		}, nil, func(g *Game) { g.Append("data:tw/engine.log", "end\n") }),
		Save: []string{"data:tw/hero.bin"}, At: []string{"save xdg-data:tw/hero.bin"}},
	{Name: "where the window was, apart from the options",
		Play: session(func(g *Game) {
			g.Has("config:tw/window.ini", Settings(1))
			g.Has("config:tw/options.ini", Settings(2))
			g.Has("data:tw/slot1.bin", Bytes(300))
			g.Read("config:tw/window.ini", "config:tw/options.ini", "data:tw/slot1.bin")
		}, func(g *Game) { g.Write("data:tw/slot1.bin", Bytes(310)) }, func(g *Game) { g.Write("config:tw/options.ini", Settings(3)) }, func(g *Game) { g.Write("config:tw/window.ini", Settings(4)) }),
		Save: []string{"data:tw/slot1.bin"}, Config: []string{"config:tw/window.ini", "config:tw/options.ini"},
		At: []string{"save xdg-data:tw/slot{slot}.bin", "config xdg-config:tw/window.ini", "config xdg-config:tw/options.ini"}},
	{Name: "a patch that is fetched during the run",
		Play: session(func(g *Game) {
			g.Has("data:tw/journey.sav", Bytes(300))
			g.Read("data:tw/journey.sav")
			g.Write("data:tw/downloads/patch.bin.part", Bytes(9000))
			g.At(40)
			g.Rename("data:tw/downloads/patch.bin.part", "data:tw/downloads/patch.bin")
			g.Read("data:tw/downloads/patch.bin")
		}, func(g *Game) { g.Write("data:tw/journey.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/journey.sav"}, At: []string{"save xdg-data:tw/journey.sav"}},
	{Name: "a save with its sum beside it",
		Play: session(func(g *Game) {
			g.Has("data:tw/campaign.dat", Bytes(300))
			g.Has("data:tw/campaign.dat.md5", []byte("9e107d9d372bb6826bd81d3542a419d6\n"))
			g.Read("data:tw/campaign.dat.md5", "data:tw/campaign.dat")
		}, func(g *Game) {
			g.Write("data:tw/campaign.dat", Bytes(310))
			g.Write("data:tw/campaign.dat.md5", []byte("e4d909c290d0fb1ca068ffaddf22cbd0\n"))
		}, nil, nil),
		Save: []string{"data:tw/campaign.dat", "data:tw/campaign.dat.md5"}, At: []string{"save xdg-data:tw/campaign.dat", "save xdg-data:tw/campaign.dat.md5"}},
	{Name: "compiled scripts beside a pickled world",
		Play: session(func(g *Game) {
			for _, n := range []string{"main", "world", "people"} {
				g.Write("inst:scripts/__pycache__/"+n+".pyc", Bytes(900))
			}
			g.Has("data:tw/world.pickle", Bytes(300))
			g.Read("data:tw/world.pickle")
		}, func(g *Game) { g.Through("data:tw/world.pickle", "data:tw/world.pickle.tmp", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/world.pickle"}, At: []string{"save xdg-data:tw/world.pickle"}},
	{Name: "a folder called like the person",
		Play: session(func(g *Game) {
			g.Has("data:tw/mira/progress.dat", Bytes(300))
			g.Read("data:tw/mira/progress.dat")
		}, func(g *Game) { g.Write("data:tw/mira/progress.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/mira/progress.dat"}, At: []string{"save xdg-data:tw/{user}/progress.dat"}},
	{Name: "a database with a log of its own that stays open", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:fen/fen.sqlite", append([]byte("SQLite format 3\x00"), Bytes(4096)...))
			g.Read("data:fen/fen.sqlite")
			g.Write("data:fen/fen.sqlite-shm", Bytes(300))
			g.Write("data:fen/fen.sqlite-wal", Bytes(300))
		}, func(g *Game) { g.Update("data:fen/fen.sqlite-wal", Bytes(900)) }, nil, func(g *Game) {
			g.Update("data:fen/fen.sqlite", append([]byte("SQLite format 3\x00"), Bytes(5000)...))
			g.Remove("data:fen/fen.sqlite-wal", "data:fen/fen.sqlite-shm")
		}),
		Save: []string{"data:fen/fen.sqlite"}, At: []string{"save xdg-data:fen/fen.sqlite*"}},
	{Name: "a replay of every match",
		Play: session(func(g *Game) {
			g.Has("data:tw/league.dat", Bytes(300))
			g.Read("data:tw/league.dat")
		}, func(g *Game) {
			g.Write("data:tw/replays/match-0041.replay", Bytes(5000))
			g.Write("data:tw/league.dat", Bytes(310))
		}, nil, nil),
		Save: []string{"data:tw/league.dat"}, Capture: []string{"data:tw/replays/match-0041.replay"},
		At: []string{"save xdg-data:tw/league.dat", "capture xdg-data:tw/replays/match-*.replay"}},
	{Name: "the pipeline cache of the graphics",
		Play: session(func(g *Game) {
			g.Has("data:tw/pipeline_cache.bin", Bytes(9000))
			g.Has("data:tw/voyage.sav", Bytes(300))
			g.Read("data:tw/pipeline_cache.bin", "data:tw/voyage.sav")
		}, func(g *Game) { g.Write("data:tw/voyage.sav", Bytes(310)) }, nil, func(g *Game) { g.Write("data:tw/pipeline_cache.bin", Bytes(9100)) }),
		Save: []string{"data:tw/voyage.sav"}, At: []string{"save xdg-data:tw/voyage.sav"}},
	{Name: "a copy of the old save in a folder for backups",
		Play: session(func(g *Game) {
			g.Has("data:tw/realm.dat", Bytes(700))
			g.Read("data:tw/realm.dat")
		}, func(g *Game) {
			g.Write("data:tw/backup/realm.dat.1", Bytes(700))
			g.Write("data:tw/realm.dat", Bytes(720))
		}, nil, nil),
		Save: []string{"data:tw/realm.dat", "data:tw/backup/realm.dat.1"}, At: []string{"save xdg-data:tw/realm.dat", "save xdg-data:tw/backup/realm.dat.{slot}"}},
	{Name: "a save that looks like settings",
		Play: session(func(g *Game) {
			g.Has("data:tw/saves/kingdom.ini", []byte("[realm]\nday=3\ngold=40\n"))
			g.Read("data:tw/saves/kingdom.ini")
		}, func(g *Game) { g.Write("data:tw/saves/kingdom.ini", []byte("[realm]\nday=4\ngold=55\n")) }, nil, nil),
		Save: []string{"data:tw/saves/kingdom.ini"}, At: []string{"save xdg-data:tw/saves/kingdom.ini"}},
	{Name: "what is counted for the maker, every ten seconds",
		Play: session(func(g *Game) {
			g.Has("data:tw/tale.dat", Bytes(300))
			g.Read("data:tw/tale.dat")
			for s := 5; s < 115; s += 10 {
				g.At(float64(s))
				g.Write("state:tw/analytics.json", JSON(s))
			}
		}, func(g *Game) { g.Write("data:tw/tale.dat", Bytes(310)) }, nil, func(g *Game) { g.Remove("state:tw/analytics.json") }),
		Save: []string{"data:tw/tale.dat"}, At: []string{"save xdg-data:tw/tale.dat"}},
	{Name: "settings in the registry, saves among the documents", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("docs:Fen/Saves/quick.sav", Bytes(300))
			g.Read("docs:Fen/Saves/quick.sav")
		}, func(g *Game) { g.Write("docs:Fen/Saves/quick.sav", Bytes(310)) }, func(g *Game) { g.Set("registry:HKEY_CURRENT_USER/Software/Reed/Fen/", "Volume=4") }, nil),
		Save: []string{"docs:Fen/Saves/quick.sav"}, Config: []string{"registry:HKEY_CURRENT_USER/Software/Reed/Fen/"},
		At: []string{"save documents:Fen/Saves/quick.sav", "config registry:HKEY_CURRENT_USER/Software/Reed/Fen/"}},
	{Name: "all of it in the installation, of a Windows build", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("pinst:Save/slot01.dat", Bytes(300))
			g.Has("pinst:Config/graphics.ini", Settings(1))
			g.Read("pinst:Config/graphics.ini", "pinst:Save/slot01.dat")
		}, func(g *Game) { g.Write("pinst:Save/slot01.dat", Bytes(310)) }, func(g *Game) { g.Write("pinst:Config/graphics.ini", Settings(2)) }, nil),
		Save: []string{"pinst:Save/slot01.dat"}, Config: []string{"pinst:Config/graphics.ini"},
		At: []string{"save install:Save/slot{slot}.dat", "config install:Config/graphics.ini"}},
	{Name: "the low folder, with the engine's own log", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Append("low:Reed/Fen/Player.log", "start\n")
			for s := 3; s < 15; s++ {
				g.At(float64(s))
				g.Append("low:Reed/Fen/Player.log", "frame\n")
			}
			g.Has("low:Reed/Fen/profile0.json", JSON(1))
			g.Read("low:Reed/Fen/profile0.json")
		}, func(g *Game) {
			g.Append("low:Reed/Fen/Player.log", "saved\n")
			g.Write("low:Reed/Fen/profile0.json", JSON(2))
		}, nil, func(g *Game) { g.Append("low:Reed/Fen/Player.log", "end\n") }),
		Save: []string{"low:Reed/Fen/profile0.json"}, At: []string{"save local-low-app-data:Reed/Fen/profile{slot}.json"}},
	{Name: "unmarked: a slot that is loaded and saved",
		Play: uncued(func(g *Game) {
			g.Has("data:tw/slots/slot2.sav", Bytes(300))
			g.Has("config:tw/settings.ini", Settings(1))
			g.Read("config:tw/settings.ini", "data:tw/slots/slot2.sav")
		}, func(g *Game) { g.Through("data:tw/slots/slot2.sav", "data:tw/slots/slot2.new", Bytes(310)) }, func(g *Game) { g.Write("config:tw/settings.ini", Settings(2)) }),
		Save: []string{"data:tw/slots/slot2.sav"}, Config: []string{"config:tw/settings.ini"},
		At: []string{"save xdg-data:tw/slots/slot{slot}.sav", "config xdg-config:tw/settings.ini"}},
	{Name: "unmarked: an unknown name in the folder for data",
		Play: uncued(func(g *Game) {
			g.Has("data:tw/chronicle", Bytes(300))
			g.Read("data:tw/chronicle")
			g.Append("state:tw/tw.log", "hello\n")
		}, func(g *Game) { g.Through("data:tw/chronicle", "data:tw/chronicle~", Bytes(310)) }, func(g *Game) { g.Append("state:tw/tw.log", "bye\n") }),
		Save: []string{"data:tw/chronicle"}, At: []string{"save xdg-data:tw/chronicle"}},
	{Name: "unmarked: scores at the end",
		Play: uncued(func(g *Game) {
			g.Has("data:tw/scores", []byte("100 ysolde\n"))
			g.Read("data:tw/scores")
		}, func(g *Game) {}, func(g *Game) { g.Write("data:tw/scores", []byte("140 mira\n100 ysolde\n")) }),
		Save: []string{"data:tw/scores"}, At: []string{"save xdg-data:tw/scores"}},
	{Name: "map tiles that are kept for later, near a save",
		Play: session(func(g *Game) {
			g.Has("data:tw/expedition.bin", Bytes(300))
			g.Read("data:tw/expedition.bin")
		}, func(g *Game) {
			for i := range 6 {
				g.Write(fmt.Sprintf("cache:tw/tiles/%d.png", i), []byte("\x89PNG\r\n\x1a\n...."))
			}
			g.Write("data:tw/expedition.bin", Bytes(310))
		}, nil, nil),
		Save: []string{"data:tw/expedition.bin"}, At: []string{"save xdg-data:tw/expedition.bin"}},
	{Name: "a picture into the person's own folder",
		Play: session(func(g *Game) {
			g.Has("data:tw/garden.sav", Bytes(300))
			g.Read("data:tw/garden.sav")
		}, func(g *Game) { g.Write("data:tw/garden.sav", Bytes(310)) }, nil, func(g *Game) {
			g.Write("home:Pictures/Tidewrack/shot_0007.png", []byte("\x89PNG\r\n\x1a\n...."))
		}),
		Save: []string{"data:tw/garden.sav"}, Capture: []string{"home:Pictures/Tidewrack/shot_0007.png"},
		At: []string{"save xdg-data:tw/garden.sav", "capture home:Pictures/Tidewrack/shot_*.png"}},
	{Name: "a binary for both options and bindings",
		Play: session(func(g *Game) {
			g.Has("config:tw/prefs.bin", Bytes(80))
			g.Has("data:tw/dungeon.dat", Bytes(300))
			g.Read("config:tw/prefs.bin", "data:tw/dungeon.dat")
		}, func(g *Game) { g.Write("data:tw/dungeon.dat", Bytes(310)) }, func(g *Game) { g.Write("config:tw/prefs.bin", Bytes(80)) }, nil),
		Save: []string{"data:tw/dungeon.dat"}, Config: []string{"config:tw/prefs.bin"},
		At: []string{"save xdg-data:tw/dungeon.dat", "config xdg-config:tw/prefs.bin"}},
	{Name: "slots by letters",
		Play: session(func(g *Game) {
			g.Has("data:tw/slotA.sav", Bytes(300))
			g.Read("data:tw/slotA.sav")
		}, func(g *Game) {
			g.Write("data:tw/slotA.sav", Bytes(310))
			g.At(121)
			g.Write("data:tw/slotB.sav", Bytes(310))
		}, nil, nil),
		Save: []string{"data:tw/slotA.sav", "data:tw/slotB.sav"}, At: []string{"save xdg-data:tw/slotA.sav", "save xdg-data:tw/slotB.sav"}},
	{Name: "unpacked into the folder for temporary files",
		Play: session(func(g *Game) {
			for i := range 4 {
				g.Write(fmt.Sprintf("tmp:tw-4711/sound%d.ogg", i), Bytes(900))
				g.Read(fmt.Sprintf("tmp:tw-4711/sound%d.ogg", i))
			}
			g.Has("data:tw/opera.sav", Bytes(300))
			g.Read("data:tw/opera.sav")
		}, func(g *Game) { g.Write("data:tw/opera.sav", Bytes(310)) }, nil, func(g *Game) {
			for i := range 4 {
				g.Remove(fmt.Sprintf("tmp:tw-4711/sound%d.ogg", i))
			}
		}),
		Save: []string{"data:tw/opera.sav"}, At: []string{"save xdg-data:tw/opera.sav"}},
}
