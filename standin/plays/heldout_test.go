package plays

import "fmt"

// heldOut are the plays that were written down, with what is right, after the weights
// were set, and that no weight was set by.
var heldOut = []Play{
	{Name: "one file, called in the way number 1", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/reeds.cpf", Bytes(300)); g.Read("data:copperfen/reeds.cpf") }, func(g *Game) { g.Write("data:copperfen/reeds.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/reeds.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/reeds.cpf"}},
	{Name: "one file, called in the way number 2", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/Boat House.dat", Bytes(300))
			g.Read("data:copperfen/Boat House.dat")
		}, func(g *Game) { g.Write("data:copperfen/Boat House.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/Boat House.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/Boat House.dat"}},
	{Name: "one file, called in the way number 3", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:Copperfen/data.bin", Bytes(300)); g.Read("data:Copperfen/data.bin") }, func(g *Game) { g.Write("data:Copperfen/data.bin", Bytes(310)) }, nil, nil),
		Save: []string{"data:Copperfen/data.bin"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:Copperfen/data.bin"}},
	{Name: "one file, called in the way number 4", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("state:copperfen/tide.bin", Bytes(300)); g.Read("state:copperfen/tide.bin") }, func(g *Game) { g.Write("state:copperfen/tide.bin", Bytes(310)) }, nil, nil),
		Save: []string{"state:copperfen/tide.bin"}, Config: nil, Capture: nil,
		At: []string{"save xdg-state:copperfen/tide.bin"}},
	{Name: "one file, called in the way number 5", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("home:.copperfen/marsh", Bytes(300)); g.Read("home:.copperfen/marsh") }, func(g *Game) { g.Write("home:.copperfen/marsh", Bytes(310)) }, nil, nil),
		Save: []string{"home:.copperfen/marsh"}, Config: nil, Capture: nil,
		At: []string{"save home:.copperfen/marsh"}},
	{Name: "one file, called in the way number 6", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("home:.copperfen-2.3/marsh.dat", Bytes(300))
			g.Read("home:.copperfen-2.3/marsh.dat")
		}, func(g *Game) { g.Write("home:.copperfen-2.3/marsh.dat", Bytes(310)) }, nil, nil),
		Save: []string{"home:.copperfen-2.3/marsh.dat"}, Config: nil, Capture: nil,
		At: []string{"save home:.copperfen-2.3/marsh.dat"}},
	{Name: "one file, called in the way number 7", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/pc/0/main.dat", Bytes(300))
			g.Read("data:copperfen/pc/0/main.dat")
		}, func(g *Game) { g.Write("data:copperfen/pc/0/main.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/pc/0/main.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/pc/0/main.dat"}},
	{Name: "one file, called in the way number 8", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/autosave/latest.cpf", Bytes(300))
			g.Read("data:copperfen/autosave/latest.cpf")
		}, func(g *Game) { g.Write("data:copperfen/autosave/latest.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/autosave/latest.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/autosave/latest.cpf"}},
	{Name: "one file, called in the way number 9", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("inst:user/reeds.dat", Bytes(300)); g.Read("inst:user/reeds.dat") }, func(g *Game) { g.Write("inst:user/reeds.dat", Bytes(310)) }, nil, nil),
		Save: []string{"inst:user/reeds.dat"}, Config: nil, Capture: nil,
		At: []string{"save install:user/reeds.dat"}},
	{Name: "one file, called in the way number 10", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/fen.nbt", Bytes(300)); g.Read("data:copperfen/fen.nbt") }, func(g *Game) { g.Write("data:copperfen/fen.nbt", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen.nbt"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen.nbt"}},
	{Name: "two slots, told apart in the way number 1", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/slot_1.cpf", Bytes(300)); g.Read("data:copperfen/slot_1.cpf") }, func(g *Game) {
			g.Write("data:copperfen/slot_1.cpf", Bytes(310))
			g.At(121)
			g.Write("data:copperfen/slot_2.cpf", Bytes(310))
		}, nil, nil),
		Save: []string{"data:copperfen/slot_1.cpf", "data:copperfen/slot_2.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/slot_{slot}.cpf"}},
	{Name: "two slots, told apart in the way number 2", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/Save 01.cpf", Bytes(300)); g.Read("data:copperfen/Save 01.cpf") }, func(g *Game) {
			g.Write("data:copperfen/Save 01.cpf", Bytes(310))
			g.At(121)
			g.Write("data:copperfen/Save 02.cpf", Bytes(310))
		}, nil, nil),
		Save: []string{"data:copperfen/Save 01.cpf", "data:copperfen/Save 02.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/Save {slot}.cpf"}},
	{Name: "two slots, told apart in the way number 3", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/profile1/reeds.dat", Bytes(300))
			g.Read("data:copperfen/profile1/reeds.dat")
		}, func(g *Game) {
			g.Write("data:copperfen/profile1/reeds.dat", Bytes(310))
			g.At(121)
			g.Write("data:copperfen/profile2/reeds.dat", Bytes(310))
		}, nil, nil),
		Save: []string{"data:copperfen/profile1/reeds.dat", "data:copperfen/profile2/reeds.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/profile{slot}/reeds.dat"}},
	{Name: "two slots, told apart in the way number 4", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/saves/5.bin", Bytes(300)); g.Read("data:copperfen/saves/5.bin") }, func(g *Game) {
			g.Write("data:copperfen/saves/5.bin", Bytes(310))
			g.At(121)
			g.Write("data:copperfen/saves/6.bin", Bytes(310))
		}, nil, nil),
		Save: []string{"data:copperfen/saves/5.bin", "data:copperfen/saves/6.bin"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/saves/{slot}.bin"}},
	{Name: "two slots, told apart in the way number 5", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/world-3.fen", Bytes(300)); g.Read("data:copperfen/world-3.fen") }, func(g *Game) {
			g.Write("data:copperfen/world-3.fen", Bytes(310))
			g.At(121)
			g.Write("data:copperfen/world-4.fen", Bytes(310))
		}, nil, nil),
		Save: []string{"data:copperfen/world-3.fen", "data:copperfen/world-4.fen"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/world-{slot}.fen"}},
	{Name: "settings in one line", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("config:copperfen.json", []byte("{\"v\":1}")); g.Read("config:copperfen.json") }, nil, func(g *Game) { g.Write("config:copperfen.json", []byte("{\"v\":2}")) }, nil),
		Save: nil, Config: []string{"config:copperfen.json"}, Capture: nil,
		At: []string{"config xdg-config:copperfen.json"}},
	{Name: "settings in a file without an ending", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("config:copperfen/display", []byte("width 1280\n"))
			g.Read("config:copperfen/display")
		}, nil, func(g *Game) { g.Write("config:copperfen/display", []byte("width 1920\n")) }, nil),
		Save: nil, Config: []string{"config:copperfen/display"}, Capture: nil,
		At: []string{"config xdg-config:copperfen/display"}},
	{Name: "settings as XML at home", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("home:.copperfen/prefs.xml", []byte("<?xml version='1.0'?><p v='1'/>"))
			g.Read("home:.copperfen/prefs.xml")
		}, nil, func(g *Game) { g.Write("home:.copperfen/prefs.xml", []byte("<?xml version='1.0'?><p v='2'/>")) }, nil),
		Save: nil, Config: []string{"home:.copperfen/prefs.xml"}, Capture: nil,
		At: []string{"config home:.copperfen/prefs.xml"}},
	{Name: "settings in the installation", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("inst:config/game.cfg", []byte("sound = 1\nmusic = 2\n"))
			g.Read("inst:config/game.cfg")
		}, nil, func(g *Game) { g.Write("inst:config/game.cfg", []byte("sound = 2\nmusic = 2\n")) }, nil),
		Save: nil, Config: []string{"inst:config/game.cfg"}, Capture: nil,
		At: []string{"config install:config/game.cfg"}},
	{Name: "joystick bindings", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/joystick.map", []byte("a=1\nb=2\n"))
			g.Read("data:copperfen/joystick.map")
		}, nil, func(g *Game) { g.Write("data:copperfen/joystick.map", []byte("a=2\nb=1\n")) }, nil),
		Save: nil, Config: []string{"data:copperfen/joystick.map"}, Capture: nil,
		At: []string{"config xdg-data:copperfen/joystick.map"}},
	{Name: "settings of a Windows build in the roaming folder", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("roaming:Copperfen/options.dat", []byte("v=1\nw=2\n"))
			g.Read("roaming:Copperfen/options.dat")
		}, nil, func(g *Game) { g.Write("roaming:Copperfen/options.dat", []byte("v=2\nw=2\n")) }, nil),
		Save: nil, Config: []string{"roaming:Copperfen/options.dat"}, Capture: nil,
		At: []string{"config roaming-app-data:Copperfen/options.dat"}},
	{Name: "settings of a Windows build beside it", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("pinst:settings.xml", []byte("<?xml version='1.0'?><s a='1'/>"))
			g.Read("pinst:settings.xml")
		}, nil, func(g *Game) { g.Write("pinst:settings.xml", []byte("<?xml version='1.0'?><s a='2'/>")) }, nil),
		Save: nil, Config: []string{"pinst:settings.xml"}, Capture: nil,
		At: []string{"config install:settings.xml"}},
	{Name: "settings through a temporary file, and a copy of the old", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("config:copperfen/fen.toml", []byte("a = 1\nb = 2\n"))
			g.Read("config:copperfen/fen.toml")
		}, nil, func(g *Game) {
			g.Through("config:copperfen/fen.toml", "config:copperfen/fen.toml.tmp", []byte("a = 2\nb = 2\n"))
		}, nil),
		Save: nil, Config: []string{"config:copperfen/fen.toml"}, Capture: nil,
		At: []string{"config xdg-config:copperfen/fen.toml"}},
	{Name: "a fen, and a log beside", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Append("data:copperfen/copperfen.log", "x\n")
		}, func(g *Game) {
			g.Write("data:copperfen/fen1.cpf", Bytes(310))
			g.Append("data:copperfen/copperfen.log", "y\n")
		}, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and a log in a folder of logs", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Append("data:copperfen/logs/2026-11-20.txt", "x\n")
		}, func(g *Game) {
			g.Write("data:copperfen/fen1.cpf", Bytes(310))
			g.Append("data:copperfen/logs/2026-11-20.txt", "y\n")
		}, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and a log that is made again and written on", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Write("state:copperfen/out.log", []byte("x\n"))
		}, func(g *Game) {
			g.Write("data:copperfen/fen1.cpf", Bytes(310))
			g.Append("state:copperfen/out.log", "y\n")
		}, nil, func(g *Game) { g.Append("state:copperfen/out.log", "z\n") }),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and what went wrong, in a file of its own", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/fen1.cpf", Bytes(300)); g.Read("data:copperfen/fen1.cpf") }, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, func(g *Game) { g.Write("data:copperfen/crash/last_error.txt", []byte("nothing\n")) }),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and shaders that are compiled", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			for i := range 4 {
				g.Write(fmt.Sprintf("data:copperfen/shadercache/%d.bin", i), Bytes(900))
			}
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and pictures that are kept small", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			for i := range 4 {
				g.Write(fmt.Sprintf("cache:copperfen/thumbs/%d.png", i), []byte("\x89PNG\r\n\x1a\n...."))
			}
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and fonts that are looked for", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Write("cache:fontconfig/zz.cache", Bytes(90))
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and a socket's lock", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Write("data:copperfen/instance.lock", []byte("1"))
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, func(g *Game) { g.Remove("data:copperfen/instance.lock") }),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and a number of the process", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Write("state:copperfen/copperfen.pid", []byte("77\n"))
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, func(g *Game) { g.Remove("state:copperfen/copperfen.pid") }),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and temporary files beside", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/fen1.cpf", Bytes(300)); g.Read("data:copperfen/fen1.cpf") }, func(g *Game) {
			g.Write("data:copperfen/fen1.cpf", Bytes(310))
			g.Write("data:copperfen/~wk1.tmp", Bytes(20))
			g.Remove("data:copperfen/~wk1.tmp")
		}, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and what is downloaded", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Write("data:copperfen/downloads/map7.zip", append([]byte("PK\x03\x04"), Bytes(900)...))
			g.Read("data:copperfen/downloads/map7.zip")
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and what is unpacked", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Write("cache:copperfen/unpacked/a.bin", Bytes(900))
			g.Read("cache:copperfen/unpacked/a.bin")
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and a token", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Has("data:copperfen/auth_token", []byte("abc\n"))
			g.Read("data:copperfen/auth_token")
			g.Write("data:copperfen/auth_token", []byte("def\n"))
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and cookies", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Has("data:copperfen/web/cookies.sqlite", append([]byte("SQLite format 3\x00"), Bytes(900)...))
			g.Read("data:copperfen/web/cookies.sqlite")
			g.Update("data:copperfen/web/cookies.sqlite", append([]byte("SQLite format 3\x00"), Bytes(900)...))
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and levels that came with it", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			for i := range 9 {
				n := fmt.Sprintf("inst:levels/%d.lvl", i)
				g.Has(n, Bytes(400))
				g.Read(n)
			}
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and words in other languages", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Has("inst:lang/en.txt", []byte("yes\n"))
			g.Read("inst:lang/en.txt")
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and sounds of the system", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			g.Has("sys:usr/share/sounds/bell.oga", Bytes(100))
			g.Read("sys:usr/share/sounds/bell.oga")
		}, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and a report for the maker", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/fen1.cpf", Bytes(300)); g.Read("data:copperfen/fen1.cpf") }, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, func(g *Game) {
			g.Write("cache:copperfen/telemetry.json", JSON(1))
			g.Remove("cache:copperfen/telemetry.json")
		}),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and numbers of each frame", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/fen1.cpf", Bytes(300))
			g.Read("data:copperfen/fen1.cpf")
			for i := range 15 {
				g.At(3 + float64(i)/2)
				g.Append("data:copperfen/frametimes.csv", "1,2\n")
			}
		}, func(g *Game) {
			g.Write("data:copperfen/fen1.cpf", Bytes(310))
			for range 3 {
				g.Append("data:copperfen/frametimes.csv", "1,2\n")
			}
		}, nil, nil),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a fen, and a list of what was opened last", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/fen1.cpf", Bytes(300)); g.Read("data:copperfen/fen1.cpf") }, func(g *Game) { g.Write("data:copperfen/fen1.cpf", Bytes(310)) }, nil, func(g *Game) { g.Write("data:recently-used.xbel", []byte("<?xml version='1.0'?><x/>")) }),
		Save: []string{"data:copperfen/fen1.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fen1.cpf"}},
	{Name: "a picture by its time, beside a save", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/heron.cpf", Bytes(300)); g.Read("data:copperfen/heron.cpf") }, func(g *Game) { g.Write("data:copperfen/heron.cpf", Bytes(310)) }, nil, func(g *Game) {
			g.Write("data:copperfen/screenshots/20261120180211.png", []byte("\x89PNG\r\n\x1a\n...."))
		}),
		Save: []string{"data:copperfen/heron.cpf"}, Config: nil, Capture: []string{"data:copperfen/screenshots/20261120180211.png"},
		At: []string{"save xdg-data:copperfen/heron.cpf", "capture xdg-data:copperfen/screenshots/*.png"}},
	{Name: "a picture among the pictures, beside a save", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/heron.cpf", Bytes(300)); g.Read("data:copperfen/heron.cpf") }, func(g *Game) { g.Write("data:copperfen/heron.cpf", Bytes(310)) }, nil, func(g *Game) { g.Write("home:Pictures/Copperfen/fen 3.png", []byte("\x89PNG\r\n\x1a\n....")) }),
		Save: []string{"data:copperfen/heron.cpf"}, Config: nil, Capture: []string{"home:Pictures/Copperfen/fen 3.png"},
		At: []string{"save xdg-data:copperfen/heron.cpf", "capture home:Pictures/Copperfen/fen *.png"}},
	{Name: "a replay with a number, beside a save", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/heron.cpf", Bytes(300)); g.Read("data:copperfen/heron.cpf") }, func(g *Game) { g.Write("data:copperfen/heron.cpf", Bytes(310)) }, nil, func(g *Game) { g.Write("data:copperfen/replays/12.replay", Bytes(900)) }),
		Save: []string{"data:copperfen/heron.cpf"}, Config: nil, Capture: []string{"data:copperfen/replays/12.replay"},
		At: []string{"save xdg-data:copperfen/heron.cpf", "capture xdg-data:copperfen/replays/*.replay"}},
	{Name: "a demo, beside a save", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/heron.cpf", Bytes(300)); g.Read("data:copperfen/heron.cpf") }, func(g *Game) { g.Write("data:copperfen/heron.cpf", Bytes(310)) }, nil, func(g *Game) { g.Write("data:copperfen/demos/run.dem", Bytes(900)) }),
		Save: []string{"data:copperfen/heron.cpf"}, Config: nil, Capture: []string{"data:copperfen/demos/run.dem"},
		At: []string{"save xdg-data:copperfen/heron.cpf", "capture xdg-data:copperfen/demos/run.dem"}},
	{Name: "a Windows build, in the place number 1", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("roaming:Copperfen/Saves/heron.sav", Bytes(300))
			g.Read("roaming:Copperfen/Saves/heron.sav")
		}, func(g *Game) { g.Write("roaming:Copperfen/Saves/heron.sav", Bytes(310)) }, nil, nil),
		Save: []string{"roaming:Copperfen/Saves/heron.sav"}, Config: nil, Capture: nil,
		At: []string{"save roaming-app-data:Copperfen/Saves/heron.sav"}},
	{Name: "a Windows build, in the place number 2", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("local:Reed/Copperfen/heron.dat", Bytes(300))
			g.Read("local:Reed/Copperfen/heron.dat")
		}, func(g *Game) { g.Write("local:Reed/Copperfen/heron.dat", Bytes(310)) }, nil, nil),
		Save: []string{"local:Reed/Copperfen/heron.dat"}, Config: nil, Capture: nil,
		At: []string{"save local-app-data:Reed/Copperfen/heron.dat"}},
	{Name: "a Windows build, in the place number 3", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("low:Reed/Copperfen/heron.json", Bytes(300))
			g.Read("low:Reed/Copperfen/heron.json")
		}, func(g *Game) { g.Write("low:Reed/Copperfen/heron.json", Bytes(310)) }, nil, nil),
		Save: []string{"low:Reed/Copperfen/heron.json"}, Config: nil, Capture: nil,
		At: []string{"save local-low-app-data:Reed/Copperfen/heron.json"}},
	{Name: "a Windows build, in the place number 4", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("docs:Copperfen/heron.fen", Bytes(300)); g.Read("docs:Copperfen/heron.fen") }, func(g *Game) { g.Write("docs:Copperfen/heron.fen", Bytes(310)) }, nil, nil),
		Save: []string{"docs:Copperfen/heron.fen"}, Config: nil, Capture: nil,
		At: []string{"save documents:Copperfen/heron.fen"}},
	{Name: "a Windows build, in the place number 5", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("saved:Copperfen/heron.sav", Bytes(300)); g.Read("saved:Copperfen/heron.sav") }, func(g *Game) { g.Write("saved:Copperfen/heron.sav", Bytes(310)) }, nil, nil),
		Save: []string{"saved:Copperfen/heron.sav"}, Config: nil, Capture: nil,
		At: []string{"save saved-games:Copperfen/heron.sav"}},
	{Name: "a Windows build, in the place number 6", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("pinst:heron.sav", Bytes(300)); g.Read("pinst:heron.sav") }, func(g *Game) { g.Write("pinst:heron.sav", Bytes(310)) }, nil, nil),
		Save: []string{"pinst:heron.sav"}, Config: nil, Capture: nil,
		At: []string{"save install:heron.sav"}},
	{Name: "unmarked, in the way number 1", Title: "Copperfen",
		Play: uncued(func(g *Game) { g.Has("data:copperfen/slot4.cpf", Bytes(300)); g.Read("data:copperfen/slot4.cpf") }, func(g *Game) { g.Through("data:copperfen/slot4.cpf", "data:copperfen/slot4.cpf.new", Bytes(310)) }, nil),
		Save: []string{"data:copperfen/slot4.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/slot{slot}.cpf"}},
	{Name: "unmarked, in the way number 2", Title: "Copperfen",
		Play: uncued(func(g *Game) { g.Has("home:.copperfen/save", Bytes(300)); g.Read("home:.copperfen/save") }, func(g *Game) { g.Through("home:.copperfen/save", "home:.copperfen/save.new", Bytes(310)) }, nil),
		Save: []string{"home:.copperfen/save"}, Config: nil, Capture: nil,
		At: []string{"save home:.copperfen/save"}},
	{Name: "unmarked, in the way number 3", Title: "Copperfen",
		Play: uncued(func(g *Game) { g.Has("data:copperfen/campaign.cpf", Bytes(300)); g.Read("data:copperfen/campaign.cpf") }, func(g *Game) { g.Through("data:copperfen/campaign.cpf", "data:copperfen/campaign.cpf.new", Bytes(310)) }, nil),
		Save: []string{"data:copperfen/campaign.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/campaign.cpf"}},
	{Name: "unmarked, in the way number 4", Title: "Copperfen",
		Play: uncued(func(g *Game) {
			g.Has("config:copperfen/progress.json", Bytes(300))
			g.Read("config:copperfen/progress.json")
		}, func(g *Game) {
			g.Through("config:copperfen/progress.json", "config:copperfen/progress.json.new", Bytes(310))
		}, nil),
		Save: []string{"config:copperfen/progress.json"}, Config: nil, Capture: nil,
		At: []string{"save xdg-config:copperfen/progress.json"}},
	{Name: "unmarked: both, in one folder", Title: "Copperfen",
		Play: uncued(func(g *Game) {
			g.Has("data:copperfen/heron.sav", Bytes(300))
			g.Has("data:copperfen/settings.cfg", Settings(1))
			g.Read("data:copperfen/settings.cfg", "data:copperfen/heron.sav")
		}, func(g *Game) { g.Write("data:copperfen/heron.sav", Bytes(310)) }, func(g *Game) { g.Write("data:copperfen/settings.cfg", Settings(2)) }),
		Save: []string{"data:copperfen/heron.sav"}, Config: []string{"data:copperfen/settings.cfg"}, Capture: nil,
		At: []string{"save xdg-data:copperfen/heron.sav", "config xdg-data:copperfen/settings.cfg"}},
	{Name: "both in the folder for settings, one through a temporary file", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("config:copperfen/heron.bin", Bytes(300))
			g.Has("config:copperfen/audio.ini", Settings(1))
			g.Read("config:copperfen/audio.ini", "config:copperfen/heron.bin")
		}, func(g *Game) { g.Through("config:copperfen/heron.bin", "config:copperfen/heron.bin.tmp", Bytes(310)) }, func(g *Game) { g.Write("config:copperfen/audio.ini", Settings(2)) }, nil),
		Save: []string{"config:copperfen/heron.bin"}, Config: []string{"config:copperfen/audio.ini"}, Capture: nil,
		At: []string{"save xdg-config:copperfen/heron.bin", "config xdg-config:copperfen/audio.ini"}},
	{Name: "three copies of the save before", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/heron.cpf", Bytes(300))
			g.Has("data:copperfen/heron.cpf.1", Bytes(290))
			g.Read("data:copperfen/heron.cpf")
		}, func(g *Game) {
			g.Rename("data:copperfen/heron.cpf.1", "data:copperfen/heron.cpf.2")
			g.Rename("data:copperfen/heron.cpf", "data:copperfen/heron.cpf.1")
			g.Write("data:copperfen/heron.cpf", Bytes(310))
		}, nil, nil),
		Save: []string{"data:copperfen/heron.cpf", "data:copperfen/heron.cpf.1", "data:copperfen/heron.cpf.2"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/heron.cpf", "save xdg-data:copperfen/heron.cpf.{slot}"}},
	{Name: "a save and its copy for the cloud", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/heron.cpf", Bytes(300)); g.Read("data:copperfen/heron.cpf") }, func(g *Game) {
			b := Bytes(310)
			g.Write("data:copperfen/heron.cpf", b)
			g.Write("acc:copperfen/heron.cpf", b)
		}, nil, nil),
		Save: []string{"data:copperfen/heron.cpf", "acc:copperfen/heron.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/heron.cpf", "save account-data:copperfen/heron.cpf"}},
	{Name: "achievements beside progress, as text", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/heron.cpf", Bytes(300)); g.Read("data:copperfen/heron.cpf") }, func(g *Game) { g.Write("data:copperfen/heron.cpf", Bytes(310)) }, nil, func(g *Game) { g.Write("data:copperfen/achievements.txt", []byte("first steps\n")) }),
		Save: []string{"data:copperfen/heron.cpf", "data:copperfen/achievements.txt"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/heron.cpf", "save xdg-data:copperfen/achievements.txt"}},
	{Name: "nothing but settings of a desktop", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("config:gtk-3.0/settings.ini", Settings(1))
			g.Read("config:gtk-3.0/settings.ini")
		}, nil, nil, nil),
		Save: nil, Config: nil, Capture: nil,
		At: nil},
	{Name: "nothing but what came with it", Title: "Copperfen",
		Play: session(func(g *Game) {
			for i := range 5 {
				n := fmt.Sprintf("inst:data/x%d.pak", i)
				g.Has(n, Bytes(500))
				g.Read(n)
			}
		}, nil, nil, nil),
		Save: nil, Config: nil, Capture: nil,
		At: nil},
	{Name: "nothing but a Windows build's own cache", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Write("local:Copperfen/cache/a.bin", Bytes(500))
			g.Write("local:Temp/cf.tmp", Bytes(20))
		}, nil, nil, nil),
		Save: nil, Config: nil, Capture: nil,
		At: nil},
	{Name: "settings of two sorts in the registry", Prefix: true, Title: "Copperfen",
		Play: session(nil, nil, func(g *Game) { g.Set("registry:HKEY_CURRENT_USER/Software/Reed/Copperfen/", "Volume=3") }, func(g *Game) {
			g.Set("registry:HKEY_CURRENT_USER/Software/Microsoft/Windows/CurrentVersion/Run/", "x=1")
		}),
		Save: nil, Config: []string{"registry:HKEY_CURRENT_USER/Software/Reed/Copperfen/"}, Capture: nil,
		At: []string{"config registry:HKEY_CURRENT_USER/Software/Reed/Copperfen/"}},
	{Name: "an edition's number in the path", Title: "Copperfen", Ref: "505310",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/505310/heron.cpf", Bytes(300))
			g.Read("data:copperfen/505310/heron.cpf")
		}, func(g *Game) { g.Write("data:copperfen/505310/heron.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/505310/heron.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/{ref}/heron.cpf"}},
	{Name: "the account in use in the path", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("data:copperfen/90210017/heron.cpf", Bytes(300))
			g.Read("data:copperfen/90210017/heron.cpf")
		}, func(g *Game) { g.Write("data:copperfen/90210017/heron.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/90210017/heron.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/{account}/heron.cpf"}},
	{Name: "saved four times, marked once", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/heron.cpf", Bytes(300)); g.Read("data:copperfen/heron.cpf") }, func(g *Game) {
			for i := range 4 {
				g.Write("data:copperfen/heron.cpf", Bytes(310+i))
			}
		}, nil, nil),
		Save: []string{"data:copperfen/heron.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/heron.cpf"}},
	{Name: "a database of progress and one of what came with it", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("inst:data/items.db", append([]byte("SQLite format 3\x00"), Bytes(900)...))
			g.Has("data:copperfen/progress.db", append([]byte("SQLite format 3\x00"), Bytes(900)...))
			g.Read("inst:data/items.db", "data:copperfen/progress.db")
		}, func(g *Game) {
			g.Update("data:copperfen/progress.db", append([]byte("SQLite format 3\x00"), Bytes(910)...))
		}, nil, nil),
		Save: []string{"data:copperfen/progress.db"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/progress.db"}},
	{Name: "forty parts of a fen", Title: "Copperfen",
		Play: session(func(g *Game) {
			for i := range 40 {
				n := fmt.Sprintf("data:copperfen/fens/heron/part%d.cpf", i)
				g.Has(n, Bytes(60))
				g.Read(n)
			}
		}, func(g *Game) {
			for i := range 40 {
				g.Write(fmt.Sprintf("data:copperfen/fens/heron/part%d.cpf", i), Bytes(61))
			}
		}, nil, nil),
		Save: []string{"data:copperfen/fens/heron/part0.cpf", "data:copperfen/fens/heron/part1.cpf", "data:copperfen/fens/heron/part2.cpf", "data:copperfen/fens/heron/part3.cpf", "data:copperfen/fens/heron/part4.cpf", "data:copperfen/fens/heron/part5.cpf", "data:copperfen/fens/heron/part6.cpf", "data:copperfen/fens/heron/part7.cpf", "data:copperfen/fens/heron/part8.cpf", "data:copperfen/fens/heron/part9.cpf", "data:copperfen/fens/heron/part10.cpf", "data:copperfen/fens/heron/part11.cpf", "data:copperfen/fens/heron/part12.cpf", "data:copperfen/fens/heron/part13.cpf", "data:copperfen/fens/heron/part14.cpf", "data:copperfen/fens/heron/part15.cpf", "data:copperfen/fens/heron/part16.cpf", "data:copperfen/fens/heron/part17.cpf", "data:copperfen/fens/heron/part18.cpf", "data:copperfen/fens/heron/part19.cpf", "data:copperfen/fens/heron/part20.cpf", "data:copperfen/fens/heron/part21.cpf", "data:copperfen/fens/heron/part22.cpf", "data:copperfen/fens/heron/part23.cpf", "data:copperfen/fens/heron/part24.cpf", "data:copperfen/fens/heron/part25.cpf", "data:copperfen/fens/heron/part26.cpf", "data:copperfen/fens/heron/part27.cpf", "data:copperfen/fens/heron/part28.cpf", "data:copperfen/fens/heron/part29.cpf", "data:copperfen/fens/heron/part30.cpf", "data:copperfen/fens/heron/part31.cpf", "data:copperfen/fens/heron/part32.cpf", "data:copperfen/fens/heron/part33.cpf", "data:copperfen/fens/heron/part34.cpf", "data:copperfen/fens/heron/part35.cpf", "data:copperfen/fens/heron/part36.cpf", "data:copperfen/fens/heron/part37.cpf", "data:copperfen/fens/heron/part38.cpf", "data:copperfen/fens/heron/part39.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/fens/heron/part{slot}.cpf"}},
	{Name: "a name in another script", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/白鷺.dat", Bytes(300)); g.Read("data:copperfen/白鷺.dat") }, func(g *Game) { g.Write("data:copperfen/白鷺.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/白鷺.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/白鷺.dat"}},
	{Name: "a save under a name of one letter", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/g", Bytes(300)); g.Read("data:copperfen/g") }, func(g *Game) { g.Write("data:copperfen/g", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/g"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/g"}},
	{Name: "a chain of three names until it is in place", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/heron.cpf", Bytes(300)); g.Read("data:copperfen/heron.cpf") }, func(g *Game) {
			g.Write("data:copperfen/heron.a", Bytes(310))
			g.Rename("data:copperfen/heron.a", "data:copperfen/heron.b")
			g.Rename("data:copperfen/heron.b", "data:copperfen/heron.cpf")
		}, nil, nil),
		Save: []string{"data:copperfen/heron.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/heron.cpf"}},
	{Name: "removed and made again", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("data:copperfen/heron.cpf", Bytes(300)); g.Read("data:copperfen/heron.cpf") }, func(g *Game) { g.Remove("data:copperfen/heron.cpf"); g.Write("data:copperfen/heron.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/heron.cpf"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:copperfen/heron.cpf"}},
	{Name: "a setting that is changed and a game that is not saved", Title: "Copperfen",
		Play: session(func(g *Game) { g.Has("config:copperfen/keys.json", JSON(1)); g.Read("config:copperfen/keys.json") }, nil, func(g *Game) { g.Write("config:copperfen/keys.json", JSON(2)) }, nil),
		Save: nil, Config: []string{"config:copperfen/keys.json"}, Capture: nil,
		At: []string{"config xdg-config:copperfen/keys.json"}},
	{Name: "both are made at the first run", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Read("config:copperfen/copperfen.ini", "data:copperfen/heron.cpf")
			g.Write("config:copperfen/copperfen.ini", Settings(1))
		}, func(g *Game) { g.Write("data:copperfen/heron.cpf", Bytes(310)) }, nil, nil),
		Save: []string{"data:copperfen/heron.cpf"}, Config: []string{"config:copperfen/copperfen.ini"}, Capture: nil,
		At: []string{"save xdg-data:copperfen/heron.cpf", "config xdg-config:copperfen/copperfen.ini"}},
	{Name: "high scores in the state folder", Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("state:copperfen/highscores", []byte("mira 3\n"))
			g.Read("state:copperfen/highscores")
		}, nil, nil, func(g *Game) { g.Write("state:copperfen/highscores", []byte("mira 4\n")) }),
		Save: []string{"state:copperfen/highscores"}, Config: nil, Capture: nil,
		At: []string{"save xdg-state:copperfen/highscores"}},
}
