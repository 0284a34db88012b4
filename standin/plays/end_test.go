package plays

import "fmt"

// tunedAtTheEnd were held out too, and looked at since.
var tunedAtTheEnd = []Play{
	{Name: "a lighthouse in one file", Title: "Saltglass",
		Play: session(func(g *Game) { g.Has("data:saltglass/keeper.lgt", Bytes(300)); g.Read("data:saltglass/keeper.lgt") }, func(g *Game) { g.Write("data:saltglass/keeper.lgt", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/keeper.lgt"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/keeper.lgt"}},
	{Name: "the state folder, by a temporary file of another ending", Title: "Saltglass",
		Play: session(func(g *Game) { g.Has("state:saltglass/session.st", Bytes(300)); g.Read("state:saltglass/session.st") }, func(g *Game) { g.Write("state:saltglass/session.st", Bytes(310)) }, nil, nil),
		Save: []string{"state:saltglass/session.st"}, Config: nil, Capture: nil,
		At: []string{"save xdg-state:saltglass/session.st"}},
	{Name: "a name with spaces and an accent", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:Saltglass Café/Mon île.dat", Bytes(300))
			g.Read("data:Saltglass Café/Mon île.dat")
		}, func(g *Game) { g.Write("data:Saltglass Café/Mon île.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:Saltglass Café/Mon île.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:Saltglass Café/Mon île.dat"}},
	{Name: "a farm with a picture of it", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/farms/Alder/farm.xml", Bytes(300))
			g.Read("data:saltglass/farms/Alder/farm.xml")
		}, func(g *Game) { g.Write("data:saltglass/farms/Alder/farm.xml", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/farms/Alder/farm.xml"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/farms/Alder/farm.xml"}},
	{Name: "a ledger that is a database", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/ledger.sqlite3", Bytes(300))
			g.Read("data:saltglass/ledger.sqlite3")
		}, func(g *Game) { g.Write("data:saltglass/ledger.sqlite3", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/ledger.sqlite3"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/ledger.sqlite3"}},
	{Name: "a run that is thrown away when it ends", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/current_run.json", Bytes(300))
			g.Read("data:saltglass/current_run.json")
		}, func(g *Game) { g.Write("data:saltglass/current_run.json", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/current_run.json"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/current_run.json"}},
	{Name: "slots in a folder of the company", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:Reed/Saltglass/slot_04.rsv", Bytes(300))
			g.Read("data:Reed/Saltglass/slot_04.rsv")
		}, func(g *Game) { g.Write("data:Reed/Saltglass/slot_04.rsv", Bytes(310)) }, nil, nil),
		Save: []string{"data:Reed/Saltglass/slot_04.rsv"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:Reed/Saltglass/slot_{slot}.rsv"}},
	{Name: "a garden and how the window was", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/garden.grd", Bytes(300))
			g.Read("data:saltglass/garden.grd")
			g.Has("config:saltglass/window-state.json", JSON(1))
			g.Read("config:saltglass/window-state.json")
		}, func(g *Game) { g.Write("data:saltglass/garden.grd", Bytes(310)) }, nil, func(g *Game) { g.Write("config:saltglass/window-state.json", JSON(2)) }),
		Save: []string{"data:saltglass/garden.grd"}, Config: []string{"config:saltglass/window-state.json"}, Capture: nil,
		At: []string{"save xdg-data:saltglass/garden.grd", "config xdg-config:saltglass/window-state.json"}},
	{Name: "sound settings in a folder of settings", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/tower.bin", Bytes(300))
			g.Read("data:saltglass/tower.bin")
			g.Has("data:saltglass/settings/audio.json", JSON(1))
			g.Read("data:saltglass/settings/audio.json")
		}, func(g *Game) { g.Write("data:saltglass/tower.bin", Bytes(310)) }, func(g *Game) { g.Write("data:saltglass/settings/audio.json", JSON(2)) }, nil),
		Save: []string{"data:saltglass/tower.bin"}, Config: []string{"data:saltglass/settings/audio.json"}, Capture: nil,
		At: []string{"save xdg-data:saltglass/tower.bin", "config xdg-data:saltglass/settings/audio.json"}},
	{Name: "a log that is written at once in one go", Title: "Saltglass",
		Play: session(func(g *Game) { g.Has("data:saltglass/boat.sav", Bytes(300)); g.Read("data:saltglass/boat.sav") }, func(g *Game) { g.Write("data:saltglass/boat.sav", Bytes(310)) }, nil, func(g *Game) { g.Write("data:saltglass/last_session.log", []byte("all went well\n")) }),
		Save: []string{"data:saltglass/boat.sav"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/boat.sav"}},
	{Name: "a crash report from before is sent and removed", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/wharf.dat", Bytes(300))
			g.Read("data:saltglass/wharf.dat")
			g.Has("data:saltglass/crashes/report1.txt", []byte("it fell\n"))
			g.Read("data:saltglass/crashes/report1.txt")
			g.Remove("data:saltglass/crashes/report1.txt")
		}, func(g *Game) { g.Write("data:saltglass/wharf.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/wharf.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/wharf.dat"}},
	{Name: "sounds that are decoded once", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/choir.dat", Bytes(300))
			g.Read("data:saltglass/choir.dat")
			for i := range 5 {
				n := fmt.Sprintf("cache:saltglass/decoded/%d.pcm", i)
				g.Write(n, Bytes(2000))
				g.Read(n)
			}
		}, func(g *Game) { g.Write("data:saltglass/choir.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/choir.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/choir.dat"}},
	{Name: "a shop's offers, fetched each time", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/bazaar.sav", Bytes(300))
			g.Read("data:saltglass/bazaar.sav")
			g.Has("data:saltglass/offers_cache.json", JSON(1))
			g.Read("data:saltglass/offers_cache.json")
			g.Write("data:saltglass/offers_cache.json", JSON(2))
		}, func(g *Game) { g.Write("data:saltglass/bazaar.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/bazaar.sav"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/bazaar.sav"}},
	{Name: "numbers for the maker, sent at the end", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/expanse.sav", Bytes(300))
			g.Read("data:saltglass/expanse.sav")
			g.Append("state:saltglass/metrics.jsonl", "{}\n")
		}, func(g *Game) {
			g.Write("data:saltglass/expanse.sav", Bytes(310))
			for range 12 {
				g.Append("state:saltglass/metrics.jsonl", "{}\n")
			}
		}, nil, func(g *Game) { g.Remove("state:saltglass/metrics.jsonl") }),
		Save: []string{"data:saltglass/expanse.sav"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/expanse.sav"}},
	{Name: "a list of servers", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/arena.dat", Bytes(300))
			g.Read("data:saltglass/arena.dat")
			g.Has("config:saltglass/servers.cfg", []byte("a=1.example\nb=2.example\n"))
			g.Read("config:saltglass/servers.cfg")
		}, func(g *Game) { g.Write("data:saltglass/arena.dat", Bytes(310)) }, func(g *Game) { g.Write("config:saltglass/servers.cfg", []byte("a=1.example\nb=3.example\n")) }, nil),
		Save: []string{"data:saltglass/arena.dat"}, Config: []string{"config:saltglass/servers.cfg"}, Capture: nil,
		At: []string{"save xdg-data:saltglass/arena.dat", "config xdg-config:saltglass/servers.cfg"}},
	{Name: "an old save that is turned into the new form", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/v2/world.dat", Bytes(300))
			g.Read("data:saltglass/v2/world.dat")
			g.Has("data:saltglass/world.old", Bytes(200))
			g.Read("data:saltglass/world.old")
		}, func(g *Game) { g.Write("data:saltglass/v2/world.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/v2/world.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/v2/world.dat"}},
	{Name: "a movie of the match", Title: "Saltglass",
		Play: session(func(g *Game) { g.Has("data:saltglass/team.dat", Bytes(300)); g.Read("data:saltglass/team.dat") }, func(g *Game) { g.Write("data:saltglass/team.dat", Bytes(310)) }, nil, func(g *Game) { g.Write("data:saltglass/movies/final.webm", Bytes(9000)) }),
		Save: []string{"data:saltglass/team.dat"}, Config: nil, Capture: []string{"data:saltglass/movies/final.webm"},
		At: []string{"save xdg-data:saltglass/team.dat", "capture xdg-data:saltglass/movies/final.webm"}},
	{Name: "a picture for each save, in the folder of the saves", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/saves/harbour.sav", Bytes(300))
			g.Read("data:saltglass/saves/harbour.sav")
		}, func(g *Game) {
			g.Write("data:saltglass/saves/harbour.sav", Bytes(310))
			g.Write("data:saltglass/screenshots/harbour.png", []byte("\x89PNG\r\n\x1a\n...."))
		}, nil, nil),
		Save: []string{"data:saltglass/saves/harbour.sav"}, Config: nil, Capture: []string{"data:saltglass/screenshots/harbour.png"},
		At: []string{"save xdg-data:saltglass/saves/harbour.sav", "capture xdg-data:saltglass/screenshots/harbour.png"}},
	{Name: "a folder of temporary files of its own", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/atlas.dat", Bytes(300))
			g.Read("data:saltglass/atlas.dat")
			for i := range 3 {
				n := fmt.Sprintf("data:saltglass/tmp/x%d.tmp", i)
				g.Write(n, Bytes(90))
				g.Remove(n)
			}
		}, func(g *Game) { g.Write("data:saltglass/atlas.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/atlas.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/atlas.dat"}},
	{Name: "the installation is looked over at the start", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/reef.sav", Bytes(300))
			g.Read("data:saltglass/reef.sav")
			for i := range 30 {
				n := fmt.Sprintf("inst:data/levels/l%d.lvl", i)
				g.Has(n, Bytes(700))
				g.Read(n)
			}
		}, func(g *Game) { g.Write("data:saltglass/reef.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/reef.sav"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/reef.sav"}},
	{Name: "a licence that is read", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/cairn.sav", Bytes(300))
			g.Read("data:saltglass/cairn.sav")
			g.Has("inst:LICENSE.txt", []byte("you may\n"))
			g.Read("inst:LICENSE.txt")
		}, func(g *Game) { g.Write("data:saltglass/cairn.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/cairn.sav"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/cairn.sav"}},
	{Name: "a profile that another program writes too", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/profile.slt", Bytes(300))
			g.Read("data:saltglass/profile.slt")
			g.Has("config:pulse/client.conf", []byte("x=1\n"))
			g.Read("config:pulse/client.conf")
		}, func(g *Game) { g.Write("data:saltglass/profile.slt", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/profile.slt"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/profile.slt"}},
	{Name: "a hidden folder of the company at home", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("home:.reedgames/saltglass/pilgrim.dat", Bytes(300))
			g.Read("home:.reedgames/saltglass/pilgrim.dat")
		}, func(g *Game) { g.Write("home:.reedgames/saltglass/pilgrim.dat", Bytes(310)) }, nil, nil),
		Save: []string{"home:.reedgames/saltglass/pilgrim.dat"}, Config: nil, Capture: nil,
		At: []string{"save home:.reedgames/saltglass/pilgrim.dat"}},
	{Name: "a shared folder of scores and a save of one's own", Title: "Saltglass",
		Play: session(func(g *Game) { g.Has("data:saltglass/climb.sav", Bytes(300)); g.Read("data:saltglass/climb.sav") }, func(g *Game) { g.Write("data:saltglass/climb.sav", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/climb.sav"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/climb.sav"}},
	{Name: "saved in pieces that are put together", Title: "Saltglass",
		Play: session(func(g *Game) { g.Has("data:saltglass/mosaic.dat", Bytes(300)); g.Read("data:saltglass/mosaic.dat") }, func(g *Game) {
			g.Write("data:saltglass/mosaic.dat", Bytes(310))
			for i := range 3 {
				n := fmt.Sprintf("data:saltglass/mosaic.part%d", i)
				g.Write(n, Bytes(50))
				g.Remove(n)
			}
		}, nil, nil),
		Save: []string{"data:saltglass/mosaic.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/mosaic.dat"}},
	{Name: "a world of many kinds of files", Title: "Saltglass",
		Play: session(func(g *Game) {
			for _, n := range []string{"terrain.bin", "people.bin", "meta.json"} {
				g.Has("data:saltglass/worlds/Fen/"+n, Bytes(300))
				g.Read("data:saltglass/worlds/Fen/" + n)
			}
		}, func(g *Game) {
			g.Write("data:saltglass/worlds/Fen/terrain.bin", Bytes(310))
			g.Write("data:saltglass/worlds/Fen/people.bin", Bytes(310))
			g.Write("data:saltglass/worlds/Fen/meta.json", JSON(2))
		}, nil, nil),
		Save: []string{"data:saltglass/worlds/Fen/terrain.bin", "data:saltglass/worlds/Fen/people.bin", "data:saltglass/worlds/Fen/meta.json"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/worlds/Fen/terrain.bin", "save xdg-data:saltglass/worlds/Fen/people.bin", "save xdg-data:saltglass/worlds/Fen/meta.json"}},
	{Name: "autosave and by hand, in folders of their own", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/auto/state.dat", Bytes(300))
			g.Read("data:saltglass/auto/state.dat")
			for s := 20; s < 100; s += 20 {
				g.At(float64(s))
				g.Write("data:saltglass/auto/state.dat", Bytes(310))
			}
		}, func(g *Game) { g.Write("data:saltglass/manual/state.dat", Bytes(310)) }, nil, nil),
		Save: []string{"data:saltglass/auto/state.dat", "data:saltglass/manual/state.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/auto/state.dat", "save xdg-data:saltglass/manual/state.dat"}},
	{Name: "settings of a Windows build in two files", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			for _, n := range []string{"Engine.ini", "Input.ini"} {
				g.Has("local:Saltglass/Saved/Config/"+n, Settings(1))
				g.Read("local:Saltglass/Saved/Config/" + n)
			}
		}, nil, func(g *Game) {
			for _, n := range []string{"Engine.ini", "Input.ini"} {
				g.Write("local:Saltglass/Saved/Config/"+n, Settings(2))
			}
		}, nil),
		Save: nil, Config: []string{"local:Saltglass/Saved/Config/Engine.ini", "local:Saltglass/Saved/Config/Input.ini"}, Capture: nil,
		At: []string{"config local-app-data:Saltglass/Saved/Config/Engine.ini", "config local-app-data:Saltglass/Saved/Config/Input.ini"}},
	{Name: "saves beside settings of a Windows build", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("local:Saltglass/Saved/SaveGames/Slot1.sav", Bytes(300))
			g.Has("local:Saltglass/Saved/Config/User.ini", Settings(1))
			g.Read("local:Saltglass/Saved/Config/User.ini", "local:Saltglass/Saved/SaveGames/Slot1.sav")
			g.Append("local:Saltglass/Saved/Logs/Saltglass.log", "x\n")
		}, func(g *Game) {
			g.Append("local:Saltglass/Saved/Logs/Saltglass.log", "y\n")
			g.Write("local:Saltglass/Saved/SaveGames/Slot1.sav", Bytes(310))
		}, func(g *Game) { g.Write("local:Saltglass/Saved/Config/User.ini", Settings(3)) }, nil),
		Save: []string{"local:Saltglass/Saved/SaveGames/Slot1.sav"}, Config: []string{"local:Saltglass/Saved/Config/User.ini"}, Capture: nil,
		At: []string{"save local-app-data:Saltglass/Saved/SaveGames/Slot{slot}.sav", "config local-app-data:Saltglass/Saved/Config/User.ini"}},
	{Name: "my games among the documents", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) {
			g.Has("docs:My Games/Saltglass/Characters/Sedge.chr", Bytes(300))
			g.Has("docs:My Games/Saltglass/saltglass.ini", Settings(1))
			g.Read("docs:My Games/Saltglass/saltglass.ini", "docs:My Games/Saltglass/Characters/Sedge.chr")
		}, func(g *Game) { g.Write("docs:My Games/Saltglass/Characters/Sedge.chr", Bytes(310)) }, func(g *Game) { g.Write("docs:My Games/Saltglass/saltglass.ini", Settings(2)) }, nil),
		Save: []string{"docs:My Games/Saltglass/Characters/Sedge.chr"}, Config: []string{"docs:My Games/Saltglass/saltglass.ini"}, Capture: nil,
		At: []string{"save documents:My Games/Saltglass/Characters/Sedge.chr", "config documents:My Games/Saltglass/saltglass.ini"}},
	{Name: "a Windows build that keeps nothing", Prefix: true, Title: "Copperfen",
		Play: session(func(g *Game) { g.Write("local:Saltglass/webcache/index", Bytes(500)) }, nil, nil, nil),
		Save: nil, Config: nil, Capture: nil,
		At: nil},
	{Name: "the registry for settings, written at the end", Prefix: true, Title: "Copperfen",
		Play: session(nil, nil, nil, func(g *Game) { g.Set("registry:HKEY_CURRENT_USER/Software/Reed/Saltglass/", "Width=1280") }),
		Save: nil, Config: []string{"registry:HKEY_CURRENT_USER/Software/Reed/Saltglass/"}, Capture: nil,
		At: []string{"config registry:HKEY_CURRENT_USER/Software/Reed/Saltglass/"}},
	{Name: "settings by name in the old style", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("home:.saltglass.cfg", []byte("sound on\nmusic off\n"))
			g.Read("home:.saltglass.cfg")
		}, nil, func(g *Game) { g.Write("home:.saltglass.cfg", []byte("sound off\nmusic off\n")) }, nil),
		Save: nil, Config: []string{"home:.saltglass.cfg"}, Capture: nil,
		At: []string{"config home:.saltglass.cfg"}},
	{Name: "settings that are replaced through another name", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("config:saltglass/saltglass.yaml", []byte("volume: 3\n"))
			g.Read("config:saltglass/saltglass.yaml")
		}, nil, func(g *Game) {
			g.Through("config:saltglass/saltglass.yaml", "config:saltglass/.saltglass.yaml.swp", []byte("volume: 4\n"))
		}, nil),
		Save: nil, Config: []string{"config:saltglass/saltglass.yaml"}, Capture: nil,
		At: []string{"config xdg-config:saltglass/saltglass.yaml"}},
	{Name: "only a log and a lock", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Write("data:saltglass/saltglass.lock", nil)
			g.Append("data:saltglass/saltglass.log", "x\n")
		}, nil, nil, func(g *Game) {
			g.Append("data:saltglass/saltglass.log", "y\n")
			g.Remove("data:saltglass/saltglass.lock")
		}),
		Save: nil, Config: nil, Capture: nil,
		At: nil},
	{Name: "two launchers' copies of one save", Title: "Saltglass", Ref: "418820",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/main.slt", Bytes(300))
			g.Has("acc:418820/remote/main.slt", Bytes(300))
			g.Read("acc:418820/remote/main.slt", "data:saltglass/main.slt")
		}, func(g *Game) {
			b := Bytes(310)
			g.Write("data:saltglass/main.slt", b)
			g.Write("acc:418820/remote/main.slt", b)
		}, nil, nil),
		Save: []string{"data:saltglass/main.slt", "acc:418820/remote/main.slt"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/main.slt", "save account-data:{ref}/remote/main.slt"}},
	{Name: "scores of all who play here", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("home:.saltglass/hall_of_fame", []byte("ysolde 900\ntobin 300\n"))
			g.Read("home:.saltglass/hall_of_fame")
		}, nil, nil, func(g *Game) { g.Write("home:.saltglass/hall_of_fame", []byte("ysolde 900\nmira 700\ntobin 300\n")) }),
		Save: []string{"home:.saltglass/hall_of_fame"}, Config: nil, Capture: nil,
		At: []string{"save home:.saltglass/hall_of_fame"}},
	{Name: "unmarked: a world in the data folder", Title: "Saltglass",
		Play: uncued(func(g *Game) { g.Has("data:saltglass/region.wld", Bytes(300)); g.Read("data:saltglass/region.wld") }, func(g *Game) { g.Update("data:saltglass/region.wld", Bytes(310)) }, func(g *Game) { g.Update("data:saltglass/region.wld", Bytes(320)) }),
		Save: []string{"data:saltglass/region.wld"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/region.wld"}},
	{Name: "unmarked: settings at the end and a log", Title: "Saltglass",
		Play: uncued(func(g *Game) {
			g.Has("config:saltglass/saltglass.conf", Settings(1))
			g.Read("config:saltglass/saltglass.conf")
			g.Append("state:saltglass/saltglass.log", "x\n")
		}, func(*Game) {}, func(g *Game) {
			g.Write("config:saltglass/saltglass.conf", Settings(2))
			g.Append("state:saltglass/saltglass.log", "y\n")
		}),
		Save: nil, Config: []string{"config:saltglass/saltglass.conf"}, Capture: nil,
		At: []string{"config xdg-config:saltglass/saltglass.conf"}},
	{Name: "unmarked: slots that are numbered with a hash", Title: "Saltglass",
		Play: uncued(func(g *Game) { g.Has("data:saltglass/save-12.slt", Bytes(300)); g.Read("data:saltglass/save-12.slt") }, func(g *Game) { g.Through("data:saltglass/save-12.slt", "data:saltglass/save-12.slt.new", Bytes(310)) }, nil),
		Save: []string{"data:saltglass/save-12.slt"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/save-{slot}.slt"}},
	{Name: "unmarked: a Windows build with a profile", Prefix: true, Title: "Copperfen",
		Play: uncued(func(g *Game) {
			g.Has("roaming:Reed/Saltglass/profile.bin", Bytes(300))
			g.Read("roaming:Reed/Saltglass/profile.bin")
		}, func(g *Game) { g.Write("roaming:Reed/Saltglass/profile.bin", Bytes(310)) }, func(g *Game) { g.Write("roaming:Reed/Saltglass/profile.bin", Bytes(320)) }),
		Save: []string{"roaming:Reed/Saltglass/profile.bin"}, Config: nil, Capture: nil,
		At: []string{"save roaming-app-data:Reed/Saltglass/profile.bin"}},
	{Name: "levels that the person made", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/mylevels/bridge.lvl", Bytes(300))
			g.Read("data:saltglass/mylevels/bridge.lvl")
		}, func(g *Game) { g.Write("data:saltglass/mylevels/bridge.lvl", Bytes(320)) }, nil, nil),
		Save: []string{"data:saltglass/mylevels/bridge.lvl"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/mylevels/bridge.lvl"}},
	{Name: "a diary in words", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/diary.txt", []byte("day one\n"))
			g.Read("data:saltglass/diary.txt")
		}, func(g *Game) { g.Write("data:saltglass/diary.txt", []byte("day one\nday two\n")) }, nil, nil),
		Save: []string{"data:saltglass/diary.txt"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/diary.txt"}},
	{Name: "a save for each chapter", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/chapter1.slt", Bytes(300))
			g.Read("data:saltglass/chapter1.slt")
			g.At(60)
			g.Write("data:saltglass/chapter1.slt", Bytes(310))
		}, func(g *Game) { g.Write("data:saltglass/chapter2.slt", Bytes(300)) }, nil, nil),
		Save: []string{"data:saltglass/chapter1.slt", "data:saltglass/chapter2.slt"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/chapter{slot}.slt"}},
	{Name: "what was unlocked, apart from the game", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/unlocks.dat", Bytes(40))
			g.Has("data:saltglass/expedition.dat", Bytes(300))
			g.Read("data:saltglass/unlocks.dat", "data:saltglass/expedition.dat")
		}, func(g *Game) { g.Write("data:saltglass/expedition.dat", Bytes(310)) }, nil, func(g *Game) { g.Write("data:saltglass/unlocks.dat", Bytes(42)) }),
		Save: []string{"data:saltglass/unlocks.dat", "data:saltglass/expedition.dat"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/unlocks.dat", "save xdg-data:saltglass/expedition.dat"}},
	{Name: "a folder with a date for each save", Title: "Saltglass",
		Play: session(nil, func(g *Game) {
			g.Write("data:saltglass/saves/2026-11-20_18-02/state.bin", Bytes(300))
			g.Write("data:saltglass/saves/2026-11-20_18-02/info.json", JSON(1))
		}, nil, nil),
		Save: []string{"data:saltglass/saves/2026-11-20_18-02/state.bin", "data:saltglass/saves/2026-11-20_18-02/info.json"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/saves/*/state.bin", "save xdg-data:saltglass/saves/*/info.json"}},
	{Name: "a pilot by name, options by name", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("data:saltglass/pilots/sedge.plt", Bytes(300))
			g.Has("data:saltglass/pilots/sedge.opts", Bytes(60))
			g.Read("data:saltglass/pilots/sedge.plt", "data:saltglass/pilots/sedge.opts")
		}, func(g *Game) { g.Write("data:saltglass/pilots/sedge.plt", Bytes(310)) }, func(g *Game) { g.Write("data:saltglass/pilots/sedge.opts", Bytes(60)) }, nil),
		Save: []string{"data:saltglass/pilots/sedge.plt"}, Config: []string{"data:saltglass/pilots/sedge.opts"}, Capture: nil,
		At: []string{"save xdg-data:saltglass/pilots/sedge.plt", "config xdg-data:saltglass/pilots/sedge.opts"}},
	{Name: "a copy that was kept when the version changed", Title: "Saltglass",
		Play: session(func(g *Game) { g.Has("data:saltglass/keep.dat", Bytes(300)); g.Read("data:saltglass/keep.dat") }, func(g *Game) {
			g.Rename("data:saltglass/keep.dat", "data:saltglass/keep.dat.v1")
			g.Write("data:saltglass/keep.dat", Bytes(310))
		}, nil, nil),
		Save: []string{"data:saltglass/keep.dat", "data:saltglass/keep.dat.v1"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/keep.dat", "save xdg-data:saltglass/keep.dat.v1"}},
	{Name: "the variable folder for games is not there, so a file at home", Title: "Saltglass",
		Play: session(func(g *Game) { g.Read("home:.saltglass-scores") }, nil, nil, func(g *Game) { g.Write("home:.saltglass-scores", []byte("mira 40\n")) }),
		Save: []string{"home:.saltglass-scores"}, Config: nil, Capture: nil,
		At: []string{"save home:.saltglass-scores"}},
	{Name: "it asks and keeps the answer", Title: "Saltglass",
		Play: session(func(g *Game) { g.Read("config:saltglass/consent") }, nil, func(g *Game) { g.Write("config:saltglass/consent", []byte("no\n")) }, nil),
		Save: nil, Config: []string{"config:saltglass/consent"}, Capture: nil,
		At: []string{"config xdg-config:saltglass/consent"}},
	{Name: "a queue of what is to be sent to the cloud", Title: "Saltglass",
		Play: session(func(g *Game) { g.Has("data:saltglass/isle.sav", Bytes(300)); g.Read("data:saltglass/isle.sav") }, func(g *Game) {
			g.Write("data:saltglass/isle.sav", Bytes(310))
			g.Write("cache:saltglass/upload/isle.sav.queued", Bytes(310))
			g.Remove("cache:saltglass/upload/isle.sav.queued")
		}, nil, nil),
		Save: []string{"data:saltglass/isle.sav"}, Config: nil, Capture: nil,
		At: []string{"save xdg-data:saltglass/isle.sav"}},
	{Name: "everything at home in a folder without a dot", Title: "Saltglass",
		Play: session(func(g *Game) {
			g.Has("home:Saltglass/game.slt", Bytes(300))
			g.Has("home:Saltglass/options.txt", []byte("sound=1\n"))
			g.Read("home:Saltglass/options.txt", "home:Saltglass/game.slt")
		}, func(g *Game) { g.Write("home:Saltglass/game.slt", Bytes(310)) }, func(g *Game) { g.Write("home:Saltglass/options.txt", []byte("sound=0\n")) }, nil),
		Save: []string{"home:Saltglass/game.slt"}, Config: []string{"home:Saltglass/options.txt"}, Capture: nil,
		At: []string{"save home:Saltglass/game.slt", "config home:Saltglass/options.txt"}},
}
