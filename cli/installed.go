package cli

import (
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/machine"
)

// installedEdition is an edition that is there, with its launcher's id and the
// accounts that it has here.
type installedEdition struct {
	sheet.Edition
	launcher string
	accounts []sheet.Account
}

// installedEditions lists those of all launchers, in every library.
func installedEditions(found []sheet.Found) (out []installedEdition) {
	for _, l := range found {
		for _, lib := range l.Libraries {
			for _, e := range lib.Editions {
				if e.Missing == "" {
					out = append(out, installedEdition{e, l.Launcher, l.Accounts})
				}
			}
		}
	}
	return out
}

// ofVariant keeps those of a variant's edition.
func ofVariant(all []installedEdition, v manifest.Variant) (out []installedEdition) {
	for _, e := range all {
		if v.Ref != "" && e.Store == v.Store && e.Ref == v.Ref {
			out = append(out, e)
		}
	}
	return out
}

// locate looks a native variant up for this edition. Each account that exists has a
// folder of its own; the one in use comes first, and the others add only what
// lies there.
func (i installedEdition) locate(v manifest.Variant, roots place.Roots, known place.Captures) (out []locatedVariant) {
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
// for its editions.
func (a *app) inOwnPrefixes(v manifest.Variant, installed []installedEdition) (out []locatedVariant) {
	for _, one := range installed {
		if one.Prefix == "" {
			continue
		}
		p, err := machine.OpenPrefix(one.Prefix)
		if err != nil {
			a.tell("endroit: %s", shown(err.Error()))
			continue
		}
		a.tellNotes(p)
		outside := place.Roots{place.Install: one.Folder}
		if len(one.accounts) > 0 && one.accounts[0].Folder != "" { // the one in use comes first
			outside[place.AccountData] = one.accounts[0].Folder
		}
		found := locateInPrefix(v, p, outside)
		found.Install = one.Folder
		out = append(out, found)
	}
	return out
}

// tellNotes says what was odd about a prefix.
func (a *app) tellNotes(p *machine.Prefix) {
	for _, n := range p.Notes {
		a.tell("endroit: %s: %s", shown(p.Folder), shown(n))
	}
}
