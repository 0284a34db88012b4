package place

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// refused are locations that reach a guarded place, each in the ways around that somebody
// could try; they come from the table, and so grow with it.
func refused() (list []string) {
	for _, c := range secret {
		for _, at := range c.at {
			anchor, name, _ := strings.Cut(at, ":")
			list = append(list, at, at+"/", at+"/*", at+"/deep/**/x", anchor+":"+strings.ToUpper(name)+"/x", anchor+":"+strings.ToLower(name))
			if n := len(name); n > 5 && name[n-1] != '*' {
				list = append(list, anchor+":"+name[:n-1]+"?/x")
			}
			for _, outer := range outers()[Anchor(anchor)] {
				list = append(list, outer.String()+"/"+name+"/x")
			}
			for _, box := range sandboxes()[Anchor(anchor)] {
				if anchor != "home" || strings.HasPrefix(name, ".") && !strings.HasPrefix(name, ".var") {
					list = append(list, strings.ReplaceAll(box.String(), "*", "some.app")+"/"+name+"/x")
				}
			}
			if anchor == "home" && strings.HasPrefix(name, ".") {
				list = append(list, "install:"+name+"/x", "documents:"+name, "account-data:"+name+"/x", "saved-games:"+name, "prefix-drive:users/somebody/"+name+"/x", "prefix-drive:users/*/"+name)
			}
			if byAnchor[Anchor(anchor)].Windows != "" && anchor != "registry" {
				list = append(list, at+"./x", at+"%20/x", at+".", at+"::$DATA", at+":x")
			}
			list = append(list, at+"%E2%80%8B/x") // a character without width
		}
	}
	for _, c := range secretNames {
		for _, name := range c.at {
			n := name
			list = append(list, "install:"+n, "xdg-data:tidewrack/"+n, "documents:My Games/Tidewrack/"+strings.ToUpper(n), "roaming-app-data:Tidewrack/"+n)
			if len(n) > 8 {
				list = append(list, "xdg-data:tidewrack/"+n[:6]+"*")
			}
		}
	}
	return append(list,
		"prefix-drive:Documents and Settings/somebody/x", "prefix-drive:DOCUME~1/x", "roaming-app-data:MICROS~1/Crypto/x", "home:APPDAT~1/Roaming/x", "documents:MYGAME~1.TXT",
		"registry:HKEY_CURRENT_USER/SOFTWARE/Microsoft/Windows/CurrentVersion/Run/x", "registry:HKEY_CURRENT_USER/Software/Wow6432Node/Microsoft/Windows/CurrentVersion/RunOnce/",
		"registry:HKEY_LOCAL_MACHINE/Software/Wow6432Node/Classes/x", "registry:HKEY_USERS/x/y", "registry:HKEY_CLASSES_ROOT/x/y",
		"home:cafe%CC%81/x", "xdg-data:tide%E2%80%AEwrack/x", "xdg-data:tidewrack/slot%EF%B8%8F.sav")
}

// accepted are locations as titles of many kinds have them.
func accepted() (list []string) {
	for _, title := range []string{"Tidewrack", "Saltglass", "Brasslight", "Hollow Pennant", "Nine Lanterns", "Kelp & Kin", "Ashen Ferry", "The Quiet Mill", "Grimhold II", "Star Orchard", "OpenTrams", "Micro Rally 3", "Wire and Rook", "Ledger of Foxes", "Signal Hill", "Key Ring", "Wallet Wars", "Browser Quest", "Slack Tide", "Element Keep", "Solana Peak", "Keyring Kid", "Password Party", "Codebreaker", "Cookie Barn", "Passage", "Messenger Moth", "Terminal Velocity 9", "Chrome Rider", "Docker's Yard", "Fishbowl", "Nanobots", "Emacsaurus", "Vimana"} {
		lower := strings.ToLower(strings.NewReplacer(" ", "-", "&", "and", "'", "").Replace(title))
		up := title
		for _, at := range []string{"xdg-data:%[1]s/saves/*.sav", "xdg-config:%[1]s/settings.ini", "xdg-config:%[1]s.conf", "xdg-state:%[1]s/", "home:.%[1]s/", "home:.%[1]src", "documents:My Games/%[2]s/**/*.sav", "roaming-app-data:%[2]s/{account}/profile.bin",
			"local-app-data:%[2]s/Saved/Config/", "local-low-app-data:Some Studio/%[2]s/slot{slot}.dat", "saved-games:%[2]s/", "install:%[2]s/saves/*.json", "account-data:{ref}/remote/%[1]s.cfg", "registry:HKEY_CURRENT_USER/Software/Some Studio/%[2]s/", "mac-application-support:%[2]s/",
			"home:.var/app/example.%[1]s/data/%[1]s/save.db", "prefix-drive:users/{user}/AppData/LocalLow/Some Studio/%[2]s/", "documents:%[2]s/keys.cfg"} {
			list = append(list, fmt.Sprintf(at, lower, up))
		}
	}
	return append(list, "install:*.sav", "install:bin/settings.cfg", "install:config/user.ini", "install:Saves/", "install:data/profiles/*/game.dat", "install:passwords.dat", "install:cookies.sav", "install:wallet.sav", "install:login.cfg", "install:keys.ini", "install:id_card.sav", "install:.cache-tidewrack/x", "install:Library/shelf.sav", "install:R/x.dat",
		"xdg-data:tidewrack/*.dat", "xdg-data:tidewrack/*.json", "xdg-data:tidewrack/keyring.sav", "xdg-data:tidewrack/history.txt", "xdg-data:tidewrack/profile", "xdg-data:tidewrack/0~1.sav", "var-games:scores", "xdg-data:tidewrack/12:30.sav")
}

func TestGuardedPlaces(t *testing.T) {
	let, held := 0, 0
	var misspelt []string
	for _, text := range refused() {
		l, err := parse(text)
		if err != nil {
			misspelt = append(misspelt, text) // refused as well, but for its spelling
			continue
		}
		held++
		var wide *WideError
		if !assert.ErrorAs(t, l.Narrow(), &wide, text) {
			let++
		}
	}
	t.Logf("dangerous locations: %d of %d refused; %d misspelt", held-let, held, len(misspelt))
	assert.Less(t, len(misspelt), 50, "%q", misspelt)
	assert.Greater(t, held, 10_000)
	barred := 0
	for _, text := range accepted() {
		if _, err := Parse(text); !assert.NoError(t, err) {
			barred++
		}
	}
	t.Logf("harmless locations: %d of %d accepted", len(accepted())-barred, len(accepted()))
	assert.Greater(t, len(accepted()), 500)
}
