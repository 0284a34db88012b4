package plays

import "fmt"

// tunedAtLast were held out too, and looked at since.
var tunedAtLast = []Play{
	{Name: "a folder with a unique id for each profile",
		Play: session(func(g *Game) {
			g.Has("data:tw/profiles/3f2504e0-4f89-11d3-9a0c-0305e82c3301/save.dat", Bytes(300))
			g.Read("data:tw/profiles/3f2504e0-4f89-11d3-9a0c-0305e82c3301/save.dat")
		}, func(g *Game) { g.Write("data:tw/profiles/3f2504e0-4f89-11d3-9a0c-0305e82c3301/save.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/profiles/3f2504e0-4f89-11d3-9a0c-0305e82c3301/save.dat"}, At: []string{"save xdg-data:tw/profiles/{account}/save.dat"}},
	{Name: "a compressed world",
		Play: session(func(g *Game) {
			g.Has("data:tw/world.sav.gz", append([]byte("\x1f\x8b\x08"), Bytes(300)...))
			g.Read("data:tw/world.sav.gz")
		}, func(g *Game) {
			g.Through("data:tw/world.sav.gz", "data:tw/world.sav.gz.tmp", append([]byte("\x1f\x8b\x08"), Bytes(310)...))
		}, nil, nil),
		Save: []string{"data:tw/world.sav.gz"}, At: []string{"save xdg-data:tw/world.sav.gz"}},
	{Name: "a town in an archive",
		Play: session(func(g *Game) {
			g.Has("data:tw/towns/Eastmark.zip", append([]byte("PK\x03\x04"), Bytes(300)...))
			g.Read("data:tw/towns/Eastmark.zip")
		}, func(g *Game) {
			g.Write("data:tw/towns/Eastmark.zip", append([]byte("PK\x03\x04"), Bytes(320)...))
		}, nil, nil),
		Save: []string{"data:tw/towns/Eastmark.zip"}, At: []string{"save xdg-data:tw/towns/Eastmark.zip"}},
	{Name: "games by number",
		Play: session(func(g *Game) {
			g.Has("data:tw/games/1.json", JSON(1))
			g.Read("data:tw/games/1.json")
		}, func(g *Game) { g.Write("data:tw/games/1.json", JSON(2)) }, nil, nil),
		Save: []string{"data:tw/games/1.json"}, At: []string{"save xdg-data:tw/games/{slot}.json"}},
	{Name: "two files that take turns",
		Play: session(func(g *Game) {
			g.Has("data:tw/state_a.bin", Bytes(300))
			g.Has("data:tw/state_b.bin", Bytes(300))
			g.Read("data:tw/state_a.bin", "data:tw/state_b.bin")
		}, func(g *Game) { g.Write("data:tw/state_a.bin", Bytes(310)) }, nil, func(g *Game) { g.Write("data:tw/state_b.bin", Bytes(310)) }),
		Save: []string{"data:tw/state_a.bin", "data:tw/state_b.bin"}, At: []string{"save xdg-data:tw/state_a.bin", "save xdg-data:tw/state_b.bin"}},
	{Name: "settings that are made at the first start",
		Play: session(func(g *Game) {
			g.Read("config:tw/settings.json")
			g.Write("config:tw/settings.json", JSON(1))
		}, func(g *Game) { g.Write("data:tw/first.sav", Bytes(300)) }, nil, nil),
		Save: []string{"data:tw/first.sav"}, Config: []string{"config:tw/settings.json"}, At: []string{"save xdg-data:tw/first.sav", "config xdg-config:tw/settings.json"}},
	{Name: "an old-fashioned file of settings at home",
		Play: session(func(g *Game) {
			g.Has("home:.twrc", []byte("volume 3\nfullscreen 1\n"))
			g.Read("home:.twrc")
		}, nil, func(g *Game) { g.Write("home:.twrc", []byte("volume 5\nfullscreen 1\n")) }, nil),
		Config: []string{"home:.twrc"}, At: []string{"config home:.twrc"}},
	{Name: "bindings in bytes among the data",
		Play: session(func(g *Game) {
			g.Has("data:tw/input.map", Bytes(80))
			g.Has("data:tw/saga.dat", Bytes(300))
			g.Read("data:tw/input.map", "data:tw/saga.dat")
		}, func(g *Game) { g.Write("data:tw/saga.dat", Bytes(310)) }, func(g *Game) { g.Write("data:tw/input.map", Bytes(80)) }, nil),
		Save: []string{"data:tw/saga.dat"}, Config: []string{"data:tw/input.map"}, At: []string{"save xdg-data:tw/saga.dat", "config xdg-data:tw/input.map"}},
	{Name: "a log called output.txt",
		Play: session(func(g *Game) {
			g.Has("data:tw/odyssey.sav", Bytes(300))
			g.Read("data:tw/odyssey.sav")
			for s := range 20 {
				g.At(3 + float64(s)*2)
				g.Append("data:tw/output.txt", "a line\n")
			}
		}, func(g *Game) { g.Append("data:tw/output.txt", "saved\n"); g.Write("data:tw/odyssey.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/odyssey.sav"}, At: []string{"save xdg-data:tw/odyssey.sav"}},
	{Name: "what was said, a file for each day",
		Play: session(func(g *Game) {
			g.Has("data:tw/guild.dat", Bytes(300))
			g.Read("data:tw/guild.dat")
			for s := range 12 {
				g.At(20 + float64(s)*6)
				g.Append("data:tw/chat-2026-11-20.txt", "tobin: hello\n")
			}
		}, func(g *Game) { g.Write("data:tw/guild.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/guild.dat"}, At: []string{"save xdg-data:tw/guild.dat"}},
	{Name: "a key that lets one in without a password",
		Play: session(func(g *Game) {
			g.Has("config:tw/token", []byte("c2FsdGdsYXNzLXRpZGV3cmFjay1uaW5lZm9sZA==\n"))
			g.Has("data:tw/realm.sav", Bytes(300))
			g.Read("config:tw/token", "data:tw/realm.sav")
			g.At(4)
			g.Write("config:tw/token", []byte("bmluZWZvbGQtc2FsdGdsYXNzLXRpZGV3cmFjaw==\n"))
		}, func(g *Game) { g.Write("data:tw/realm.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/realm.sav"}, At: []string{"save xdg-data:tw/realm.sav"}},
	{Name: "news that were fetched",
		Play: session(func(g *Game) {
			g.Write("cache:tw/news.json", JSON(1))
			g.Write("cache:tw/banner.png", []byte("\x89PNG\r\n\x1a\n...."))
			g.Has("data:tw/fleet.sav", Bytes(300))
			g.Read("data:tw/fleet.sav")
		}, func(g *Game) { g.Write("data:tw/fleet.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/fleet.sav"}, At: []string{"save xdg-data:tw/fleet.sav"}},
	{Name: "a folder for a world",
		Play: session(func(g *Game) {
			for _, n := range []string{"level.dat", "people.dat"} {
				g.Has("data:tw/worlds/Eastmark/"+n, Bytes(300))
				g.Read("data:tw/worlds/Eastmark/" + n)
			}
		}, func(g *Game) {
			for _, n := range []string{"level.dat", "people.dat"} {
				g.Through("data:tw/worlds/Eastmark/"+n, "data:tw/worlds/Eastmark/"+n+"_new", Bytes(310))
			}
		}, nil, nil),
		Save: []string{"data:tw/worlds/Eastmark/level.dat", "data:tw/worlds/Eastmark/people.dat"},
		At:   []string{"save xdg-data:tw/worlds/Eastmark/level.dat", "save xdg-data:tw/worlds/Eastmark/people.dat"}},
	{Name: "an account's folder, and settings elsewhere", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("roaming:Fen/90210017/profile.dat", Bytes(300))
			g.Has("local:Fen/settings.xml", []byte("<?xml version='1.0'?><settings volume='1'/>"))
			g.Read("local:Fen/settings.xml", "roaming:Fen/90210017/profile.dat")
		}, func(g *Game) { g.Write("roaming:Fen/90210017/profile.dat", Bytes(310)) }, func(g *Game) {
			g.Write("local:Fen/settings.xml", []byte("<?xml version='1.0'?><settings volume='2'/>"))
		}, nil),
		Save: []string{"roaming:Fen/90210017/profile.dat"}, Config: []string{"local:Fen/settings.xml"},
		At: []string{"save roaming-app-data:Fen/{account}/profile.dat", "config local-app-data:Fen/settings.xml"}},
	{Name: "options beside the program, progress at home",
		Play: session(func(g *Game) {
			g.Has("inst:options.json", JSON(1))
			g.Has("home:.tidewrack/captain.dat", Bytes(300))
			g.Read("inst:options.json", "home:.tidewrack/captain.dat")
		}, func(g *Game) { g.Write("home:.tidewrack/captain.dat", Bytes(310)) }, func(g *Game) { g.Write("inst:options.json", JSON(2)) }, nil),
		Save: []string{"home:.tidewrack/captain.dat"}, Config: []string{"inst:options.json"}, At: []string{"save home:.tidewrack/captain.dat", "config install:options.json"}},
	{Name: "a list of saves that reads them all again and again",
		Play: session(func(g *Game) {
			g.Has("data:tw/saves/one.sav", Bytes(300))
			g.Has("data:tw/saves/two.sav", Bytes(300))
			for s := range 6 {
				g.At(3 + float64(s)*15)
				g.Read("data:tw/saves/one.sav", "data:tw/saves/two.sav")
			}
		}, func(g *Game) { g.Update("data:tw/saves/two.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/saves/one.sav", "data:tw/saves/two.sav"}, At: []string{"save xdg-data:tw/saves/one.sav", "save xdg-data:tw/saves/two.sav"}},
	{Name: "saves that are called by a number alone",
		Play: session(func(g *Game) {
			g.Has("data:tw/saves/3", Bytes(300))
			g.Read("data:tw/saves/3")
		}, func(g *Game) { g.Write("data:tw/saves/3", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/saves/3"}, At: []string{"save xdg-data:tw/saves/{slot}"}},
	{Name: "the launcher's folder alone, with settings here",
		Play: session(func(g *Game) {
			g.Has("acc:remote/save0.dat", Bytes(300))
			g.Has("config:tw/video.ini", Settings(1))
			g.Read("config:tw/video.ini", "acc:remote/save0.dat")
		}, func(g *Game) { g.Write("acc:remote/save0.dat", Bytes(310)) }, func(g *Game) { g.Write("config:tw/video.ini", Settings(2)) }, nil),
		Save: []string{"acc:remote/save0.dat"}, Config: []string{"config:tw/video.ini"}, At: []string{"save account-data:remote/save{slot}.dat", "config xdg-config:tw/video.ini"}},
	{Name: "photographs taken in the game",
		Play: session(func(g *Game) {
			g.Has("data:tw/safari.sav", Bytes(300))
			g.Read("data:tw/safari.sav")
			g.At(70)
			g.Write("data:tw/photomode/IMG_0001.jpg", []byte("\xff\xd8\xff\xe0\x00\x10JFIF...."))
		}, func(g *Game) { g.Write("data:tw/safari.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/safari.sav"}, Capture: []string{"data:tw/photomode/IMG_0001.jpg"},
		At: []string{"save xdg-data:tw/safari.sav", "capture xdg-data:tw/photomode/IMG_*.jpg"}},
	{Name: "a character in two files",
		Play: session(func(g *Game) {
			g.Has("data:tw/sedge.chr", Bytes(300))
			g.Has("data:tw/sedge.inv", Bytes(200))
			g.Read("data:tw/sedge.chr", "data:tw/sedge.inv")
		}, func(g *Game) {
			g.Write("data:tw/sedge.chr", Bytes(310))
			g.Write("data:tw/sedge.inv", Bytes(210))
		}, nil, nil),
		Save: []string{"data:tw/sedge.chr", "data:tw/sedge.inv"}, At: []string{"save xdg-data:tw/sedge.chr", "save xdg-data:tw/sedge.inv"}},
	{Name: "three parts of a save side by side",
		Play: session(func(g *Game) {
			for _, n := range []string{"quests", "inventory", "map"} {
				g.Has("data:tw/saves/"+n+".json", JSON(1))
				g.Read("data:tw/saves/" + n + ".json")
			}
		}, func(g *Game) {
			for _, n := range []string{"quests", "inventory", "map"} {
				g.Write("data:tw/saves/"+n+".json", JSON(2))
			}
		}, nil, nil),
		Save: []string{"data:tw/saves/quests.json", "data:tw/saves/inventory.json", "data:tw/saves/map.json"}, At: []string{"save xdg-data:tw/saves/*.json"}},
	{Name: "a mark that the program runs",
		Play: session(func(g *Game) {
			g.Write("data:tw/.running", nil)
			g.Has("data:tw/comet.dat", Bytes(300))
			g.Read("data:tw/comet.dat")
		}, func(g *Game) { g.Write("data:tw/comet.dat", Bytes(310)) }, nil, func(g *Game) { g.Remove("data:tw/.running") }),
		Save: []string{"data:tw/comet.dat"}, At: []string{"save xdg-data:tw/comet.dat"}},
	{Name: "an index of what came with the game, made again at the start",
		Play: session(func(g *Game) {
			g.Has("inst:data/index.db", append([]byte("SQLite format 3\x00"), Bytes(900)...))
			g.Read("inst:data/index.db")
			g.Write("inst:data/index.db", append([]byte("SQLite format 3\x00"), Bytes(900)...))
			g.Has("data:tw/quarry.sav", Bytes(300))
			g.Read("data:tw/quarry.sav")
		}, func(g *Game) { g.Write("data:tw/quarry.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/quarry.sav"}, At: []string{"save xdg-data:tw/quarry.sav"}},
	{Name: "the save before, under another ending",
		Play: session(func(g *Game) {
			g.Has("data:tw/story.sav", Bytes(300))
			g.Read("data:tw/story.sav")
		}, func(g *Game) {
			g.Rename("data:tw/story.sav", "data:tw/story.sav.bak")
			g.Write("data:tw/story.sav", Bytes(310))
		}, nil, nil),
		Save: []string{"data:tw/story.sav", "data:tw/story.sav.bak"}, At: []string{"save xdg-data:tw/story.sav", "save xdg-data:tw/story.sav.bak"}},
	{Name: "where one stands, written every second",
		Play: session(func(g *Game) {
			g.Has("data:tw/position.bin", Bytes(24))
			g.Read("data:tw/position.bin")
			for s := range 60 {
				g.At(20 + float64(s))
				g.Update("data:tw/position.bin", Bytes(24))
			}
		}, func(g *Game) { g.Update("data:tw/position.bin", Bytes(24)) }, nil, func(g *Game) { g.Update("data:tw/position.bin", Bytes(24)) }),
		Save: []string{"data:tw/position.bin"}, At: []string{"save xdg-data:tw/position.bin"}},
	{Name: "trophies when they are won",
		Play: session(func(g *Game) {
			g.Has("data:tw/trophies.dat", Bytes(40))
			g.Has("data:tw/racer.sav", Bytes(300))
			g.Read("data:tw/trophies.dat", "data:tw/racer.sav")
			g.At(75)
			g.Write("data:tw/trophies.dat", Bytes(48))
		}, func(g *Game) { g.Write("data:tw/racer.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/trophies.dat", "data:tw/racer.sav"}, At: []string{"save xdg-data:tw/trophies.dat", "save xdg-data:tw/racer.sav"}},
	{Name: "nothing but the registry's own noise", Prefix: true, Title: "Copperfen",
		Play: session(nil, nil, nil, func(g *Game) { g.Set("registry:HKEY_CURRENT_USER/Software/Microsoft/DirectInput/", "x=1") })},
	{Name: "no cues: uppercase names with leading zeros",
		Play: uncued(func(g *Game) {
			g.Has("data:tw/SAVE0007.DAT", Bytes(300))
			g.Read("data:tw/SAVE0007.DAT")
		}, func(g *Game) { g.Write("data:tw/SAVE0007.DAT", Bytes(310)) }, nil),
		Save: []string{"data:tw/SAVE0007.DAT"}, At: []string{"save xdg-data:tw/SAVE{slot}.DAT"}},
	{Name: "a captain with names and values",
		Play: session(func(g *Game) {
			g.Has("data:tw/captain.ini", []byte("[captain]\nday=3\ngold=40\n"))
			g.Has("config:tw/engine.ini", Settings(1))
			g.Read("config:tw/engine.ini", "data:tw/captain.ini")
		}, func(g *Game) { g.Write("data:tw/captain.ini", []byte("[captain]\nday=4\ngold=70\n")) }, func(g *Game) { g.Write("config:tw/engine.ini", Settings(3)) }, nil),
		Save: []string{"data:tw/captain.ini"}, Config: []string{"config:tw/engine.ini"}, At: []string{"save xdg-data:tw/captain.ini", "config xdg-config:tw/engine.ini"}},
	{Name: "what the person likes, among the data",
		Play: session(func(g *Game) {
			g.Has("data:tw/user-settings.json", JSON(1))
			g.Has("data:tw/orbit.dat", Bytes(300))
			g.Read("data:tw/user-settings.json", "data:tw/orbit.dat")
		}, func(g *Game) { g.Write("data:tw/orbit.dat", Bytes(310)) }, func(g *Game) { g.Write("data:tw/user-settings.json", JSON(2)) }, nil),
		Save: []string{"data:tw/orbit.dat"}, Config: []string{"data:tw/user-settings.json"}, At: []string{"save xdg-data:tw/orbit.dat", "config xdg-data:tw/user-settings.json"}},
	{Name: "many slots of one kind, two of them used", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			for i := range 4 {
				g.Has(fmt.Sprintf("saved:Reed/Copperfen/SaveData_%d.sav", i), Bytes(300))
				g.Read(fmt.Sprintf("saved:Reed/Copperfen/SaveData_%d.sav", i))
			}
		}, func(g *Game) {
			g.Write("saved:Reed/Copperfen/SaveData_1.sav", Bytes(310))
			g.Write("saved:Reed/Copperfen/SaveData_2.sav", Bytes(310))
		}, nil, nil),
		Save: []string{"saved:Reed/Copperfen/SaveData_1.sav", "saved:Reed/Copperfen/SaveData_2.sav"}, At: []string{"save saved-games:Reed/Copperfen/SaveData_{slot}.sav"}},
	{Name: "a list of mods that is rebuilt",
		Play: session(func(g *Game) {
			g.Has("config:tw/mods.cache", Bytes(90))
			g.Has("data:tw/ranch.sav", Bytes(300))
			g.Read("config:tw/mods.cache", "data:tw/ranch.sav")
			g.Write("config:tw/mods.cache", Bytes(95))
		}, func(g *Game) { g.Write("data:tw/ranch.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:tw/ranch.sav"}, At: []string{"save xdg-data:tw/ranch.sav"}},
	{Name: "a trace of what went wrong, without an ending",
		Play: session(func(g *Game) {
			g.Write("data:tw/debug", []byte("start\n"))
			g.Has("data:tw/mine.sav", Bytes(300))
			g.Read("data:tw/mine.sav")
			for s := range 15 {
				g.At(10 + float64(s)*5)
				g.Append("data:tw/debug", "something\n")
			}
		}, func(g *Game) { g.Write("data:tw/mine.sav", Bytes(310)) }, nil, func(g *Game) { g.Append("data:tw/debug", "end\n") }),
		Save: []string{"data:tw/mine.sav"}, At: []string{"save xdg-data:tw/mine.sav"}},
	{Name: "unmarked: settings alone are looked at",
		Play: uncued(func(g *Game) {
			g.Has("config:tw/tw.toml", []byte("volume = 3\nname = 'Sedge'\n"))
			g.Read("config:tw/tw.toml")
		}, func(g *Game) { g.Write("config:tw/tw.toml", []byte("volume = 4\nname = 'Sedge'\n")) }, nil),
		Config: []string{"config:tw/tw.toml"}, At: []string{"config xdg-config:tw/tw.toml"}},
	{Name: "saved on quitting, through a temporary folder",
		Play: session(func(g *Game) {
			g.Has("data:tw/station.dat", Bytes(300))
			g.Read("data:tw/station.dat")
		}, nil, nil, func(g *Game) {
			g.Write("data:tw/.new/station.dat", Bytes(310))
			g.Rename("data:tw/.new/station.dat", "data:tw/station.dat")
		}),
		Save: []string{"data:tw/station.dat"}, At: []string{"save xdg-data:tw/station.dat"}},
}
