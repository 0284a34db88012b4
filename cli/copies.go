package cli

import (
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/machine"
)

// installedCopy is one installed edition, with the accounts of its launcher.
type installedCopy struct {
	sheet.Edition
	accounts []sheet.Account
}

// installedCopies finds the copies of a variant's edition, in every library.
func installedCopies(launchers []sheet.Found, v manifest.Variant) (out []installedCopy) {
	for _, l := range launchers {
		for _, lib := range l.Libraries {
			for _, e := range lib.Editions {
				if e.Missing == "" && v.Ref != "" && e.Store == v.Store && e.Ref == v.Ref {
					out = append(out, installedCopy{e, l.Accounts})
				}
			}
		}
	}
	return out
}

// locate looks a native variant up for this copy. Each account that exists has a
// folder of its own; the one in use comes first, and the others add only what
// lies there.
func (i installedCopy) locate(v manifest.Variant, roots place.Roots, known place.Captures) (out []locatedVariant) {
	for n := 0; n == 0 || n < len(i.accounts); n++ {
		own := place.Roots{place.Install: i.Folder}
		for a, folder := range roots {
			own[a] = folder
		}
		part, account := v, ""
		if n < len(i.accounts) && i.accounts[n].Folder != "" {
			own[place.AccountData] = i.accounts[n].Folder
			account = i.accounts[n].ID
			if i.accounts[n].Name != "" {
				account += " (" + i.accounts[n].Name + ")"
			}
		}
		hasAccountData := false
		part.Locations = nil
		for _, l := range v.Locations {
			at, err := place.Parse(l.At)
			inAccount := err == nil && at.Anchor == place.AccountData
			hasAccountData = hasAccountData || inAccount
			if n == 0 || inAccount {
				part.Locations = append(part.Locations, l)
			}
		}
		if n > 0 && !hasAccountData {
			break
		}
		if n > 0 && account == "" {
			continue // it has no folder yet
		}
		found := locateVariant(part, own, known)
		found.Install = i.Folder
		if hasAccountData {
			found.Account = account
		}
		out = append(out, found)
	}
	return out
}

// inOwnPrefixes looks a Windows build up in the prefixes that the launchers keep
// for its copies.
func (a *app) inOwnPrefixes(v manifest.Variant, copies []installedCopy) (out []locatedVariant) {
	for _, one := range copies {
		if one.Prefix == "" {
			continue
		}
		p, err := machine.OpenPrefix(one.Prefix)
		if err != nil {
			a.tell("endroit: %s", shown(err.Error()))
			continue
		}
		for _, n := range p.Notes {
			a.tell("endroit: %s: %s", shown(p.Folder), shown(n))
		}
		found := locateInPrefix(v, p, one.Folder)
		found.Install = one.Folder
		out = append(out, found)
	}
	return out
}
