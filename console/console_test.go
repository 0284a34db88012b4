package console_test

import (
	"context"
	"fmt"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/client"
	"endroit/localpg/pgtest"
	"endroit/publication"
	"endroit/service"
	"endroit/standin/browser"
	"endroit/standin/world"
)

func TestMain(m *testing.M) { pgtest.Main(m, nil) }

// visitor is a browser in front of a service with the demo's data.
type visitor struct {
	t       *testing.T
	ctx     context.Context
	address string
}

func visit(t *testing.T) *visitor {
	t.Helper()
	s, err := service.New(t.Context(), service.Config{Database: pgtest.Database(t)})
	require.NoError(t, err)
	t.Cleanup(s.Close)
	server := httptest.NewServer(s)
	t.Cleanup(server.Close)
	for _, p := range world.People {
		require.NoError(t, s.AddPerson(t.Context(), p.Name, p.Password, p.Reviewer))
	}
	waiting, err := world.Load(t.Context(), server.URL, world.People)
	require.NoError(t, err)
	require.Equal(t, 5, waiting)
	publish(t, s)
	ctx, stop, err := browser.Start(context.Background())
	require.NoError(t, err)
	t.Cleanup(stop)
	ctx, cancel := context.WithTimeout(ctx, 15*time.Minute)
	t.Cleanup(cancel)
	v := &visitor{t, ctx, server.URL}
	require.NoError(t, browser.SetView(ctx, 1280, 800, false))
	return v
}

// publish publishes what is accepted until the test ends.
func publish(t *testing.T, s *service.Service) {
	key, err := publication.NewKey()
	require.NoError(t, err)
	folder := filepath.Join(t.TempDir(), "keys")
	require.NoError(t, publication.Make(folder, publication.Plan{Name: "The tests", Root: []*publication.Key{key}, Threshold: 1}, time.Now()))
	signer, err := publication.Open(folder)
	require.NoError(t, err)
	require.NoError(t, s.PublishOnce(t.Context(), signer))
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { s.Publish(ctx, signer); close(done) }()
	t.Cleanup(func() { cancel(); <-done })
}

// title is the address of the page of a title.
func (v *visitor) title(name string) string {
	v.t.Helper()
	c, err := client.New(v.address, "")
	require.NoError(v.t, err)
	page, err := c.Titles(v.t.Context(), name, "")
	require.NoError(v.t, err)
	require.NotEmpty(v.t, page.Items)
	return "/titles/" + page.Items[0].ID
}

func (v *visitor) do(steps ...chromedp.Action[chromedp.Void]) {
	v.t.Helper()
	ctx, cancel := context.WithTimeout(v.ctx, 2*time.Minute)
	defer cancel()
	if err := chromedp.Do(ctx, steps...); err != nil {
		shown, _ := chromedp.Run(v.ctx, chromedp.Evaluate[string]("document.body.innerText"))
		require.NoError(v.t, err, "the page:\n%s", shown)
	}
}

func (v *visitor) open(path string) {
	v.t.Helper()
	v.do(chromedp.Navigate(v.address + path))
}

// sees waits until the page shows a text.
func (v *visitor) sees(text string) {
	v.t.Helper()
	ctx, cancel := context.WithTimeout(v.ctx, 2*time.Minute)
	defer cancel()
	_, err := chromedp.Run(ctx, chromedp.Poll[bool](fmt.Sprintf("document.body.innerText.includes(%q)", text)))
	for err != nil && ctx.Err() == nil && strings.Contains(err.Error(), "Cannot find context") { // the page was left while it was looked at
		_, err = chromedp.Run(ctx, chromedp.Poll[bool](fmt.Sprintf("document.body.innerText.includes(%q)", text)))
	}
	if err != nil {
		shown, _ := chromedp.Run(v.ctx, chromedp.Evaluate[string]("document.body.innerText + '\\n' + [...document.querySelectorAll('input')].map((i) => i.name + '=' + i.value).join(' ')"))
		require.NoError(v.t, err, "%q is not on the page:\n%s", text, shown)
	}
}

func (v *visitor) text() string {
	v.t.Helper()
	text, err := chromedp.Run(v.ctx, chromedp.Evaluate[string]("document.body.innerText"))
	require.NoError(v.t, err)
	return text
}

// press clicks, with the mouse, the button or link that says exactly this. One that is
// covered by something else, has no size or still moves is not pressed.
func (v *visitor) press(label string) {
	v.t.Helper()
	at, err := chromedp.Run(v.ctx, chromedp.Poll[[]float64](fmt.Sprintf(`(() => {
		const hit = [...document.querySelectorAll('button, a, summary, [role=tab]')].find((e) => e.innerText.trim() === %q && !e.disabled && e.getClientRects().length)
		if (!hit) return null
		hit.scrollIntoView({ block: 'center' })
		const r = hit.getClientRects()[0]
		const x = r.left + r.width / 2, y = r.top + r.height / 2
		const top = document.elementFromPoint(x, y)
		// What is still being laid out moves away from under the mouse.
		const still = window.pressed && window.pressed.hit === hit && window.pressed.x === x && window.pressed.y === y ? window.pressed.still + 1 : 0
		window.pressed = { hit, x, y, still }
		return still >= 3 && top && (hit === top || hit.contains(top)) ? [x, y] : null
	})()`, label)))
	require.NoError(v.t, err, "press %s: it is not there, or covered", label)
	require.Len(v.t, at, 2)
	v.do(chromedp.MouseClickXY(at[0], at[1]))
}

func (v *visitor) location() string {
	v.t.Helper()
	at, err := chromedp.Run(v.ctx, chromedp.Location())
	require.NoError(v.t, err)
	return strings.TrimPrefix(at, v.address)
}

func (v *visitor) signIn(name string) {
	v.t.Helper()
	for _, p := range world.People {
		if p.Name == name {
			v.do(chromedp.WaitVisible(chromedp.CSS("input[name=name]")), chromedp.SendKeys(chromedp.CSS("input[name=name]"), name), chromedp.SendKeys(chromedp.CSS("input[name=password]"), p.Password+"\r"))
			v.sees(name)
		}
	}
}

// accessible holds the page to the rules of axe-core that WCAG 2.2 AA asks for.
func (v *visitor) accessible(page string) {
	v.t.Helper()
	axe, err := os.ReadFile("node_modules/axe-core/axe.min.js")
	require.NoError(v.t, err)
	_, err = chromedp.Run(v.ctx, chromedp.Evaluate[any](string(axe)+"; 0"))
	require.NoError(v.t, err)
	found, err := chromedp.Run(v.ctx, chromedp.Evaluate[[]string](`axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']}).then((r) =>
		[...r.violations, ...r.incomplete.map((v) => ({ ...v, nodes: v.nodes.filter((n) => !n.any.some((a) => a.message.startsWith('Element has no value')) && !/v-field-label--floating/.test(n.html) && !/aria-controls/.test(n.html + n.any.concat(n.all, n.none).map((a) => a.message).join(' '))) })).filter((v) => v.nodes.length)].map((v) => v.id + ': ' + v.help + ': ' + v.nodes.map((n) => n.html.slice(0, 160) + ' ' + n.any.map((a) => a.message).join('; ')).join(' | ')))`, chromedp.EvalAwaitPromise))
	require.NoError(v.t, err)
	assert.Empty(v.t, found, page)
	// A label that floats stands over its own field's border, which axe cannot see through:
	// its contrast is computed here.
	faint, err := chromedp.Run(v.ctx, chromedp.Evaluate[[]string](`(() => {
		const rgb = (c) => c.match(/[\d.]+/g).map((x, i) => Number(x) * (c.startsWith('color(srgb') && i < 3 ? 255 : 1))
		const light = (c) => { const [r, g, b] = c.map((x) => { x /= 255; return x <= 0.04045 ? x / 12.92 : ((x + 0.055) / 1.055) ** 2.4 }); return 0.2126 * r + 0.7152 * g + 0.0722 * b }
		return [...document.querySelectorAll('.v-field-label--floating')].filter((l) => l.getClientRects().length && getComputedStyle(l).visibility !== 'hidden' && l.innerText).map((l) => {
			let at = l, ground
			for (; at && !ground; at = at.parentElement) { const c = rgb(getComputedStyle(at).backgroundColor); if (c.length < 4 || c[3] === 1) ground = c }
			const s = getComputedStyle(l), ink = rgb(s.color), a = (ink[3] ?? 1) * Number(s.opacity)
			const mixed = [0, 1, 2].map((i) => ink[i] * a + ground[i] * (1 - a))
			const [x, y] = [light(mixed), light(ground.slice(0, 3))].sort((p, q) => q - p)
			const ratio = (x + 0.05) / (y + 0.05)
			return ratio < 4.5 ? l.innerText + ': ' + ratio.toFixed(2) : ''
		}).filter(Boolean)
	})()`))
	require.NoError(v.t, err)
	assert.Empty(v.t, faint, page)
}

func TestFromSignInToAcceptance(t *testing.T) {
	v := visit(t)
	v.open("/reviews/8")
	v.sees("This page needs an account")
	v.press("Sign in")
	v.do(chromedp.WaitVisible(chromedp.CSS("input[name=name]")), chromedp.SendKeys(chromedp.CSS("input[name=name]"), "anselm"), chromedp.SendKeys(chromedp.CSS("input[name=password]"), "not it at all\r"))
	v.sees("the name or the password is wrong")
	v.do(chromedp.SendKeys(chromedp.CSS("input[name=password]"), "the-quiet-reader\r")) // the name is still there
	v.sees("Waits for your decision")
	assert.Equal(t, "/reviews/8", v.location(), "signing in leads back")
	for _, text := range []string{"quiet-signal/station.json", "a new title", "What the run did not decide", "index.db", "The recordings are made with F9", "1 log", "is new (settings), observed"} {
		v.sees(text)
	}

	v.press("Reviews")
	v.sees("The Quiet Signal")
	v.sees("Copperfen")
	v.press("The Quiet Signal")
	v.sees("Waits for your decision")
	v.press("Accept…")
	v.sees("a published revision never changes")
	v.press("Accept and publish")
	v.sees("Accepted by anselm")
	v.sees("revision 2")

	v.open(v.title("The Quiet Signal"))
	v.sees("~/.config/quiet-signal/station.json")
	v.sees("observed")
	v.do(chromedp.Click(chromedp.CSS("[aria-label=Breadcrumbs] a[href='/titles']")))
	v.sees("Ninefold Orchard")
	assert.Equal(t, "/titles", v.location())
	v.press("Revisions")
	v.sees("The Quiet Signal")
}

// A title's page says how to copy, put back and start afresh, with what can be pasted, and
// the launcher's cloud first.
func TestOwnFiles(t *testing.T) {
	v := visit(t)
	v.open(v.title("Lantern Hollow"))
	v.press("Copy, put back or start afresh")
	v.sees("endroit copy 'Lantern Hollow'")
	v.sees("In Brasslight and Quayside, switch cloud copies off for this title")
	v.sees("Copy this folder with all that is in it (progress)")
	v.sees("Not all of these places were confirmed by a second person")
	v.do(chromedp.MouseClickXY(4, 600))
	v.accessible("own files")
}

// A contributor proposes on a title's page that something be put right, and a reviewer sees
// what accepting would change.
func TestPuttingSomethingRight(t *testing.T) {
	v := visit(t)
	page := v.title("Copperfen")
	v.open(page)
	v.press("Something is wrong here?")
	v.sees("to propose a change here")
	v.open("/sign-in?next=" + page)
	v.signIn("tobin")
	v.sees("Copperfen")
	v.press("Something is wrong here?")
	v.sees("What is to change")
	v.do(chromedp.MouseClickXY(4, 600)) // off the title, whose colours change under the mouse
	v.accessible("putting something right")
	v.do(
		chromedp.SendKeys(chromedp.CSS(".folded input[type=text][maxlength='1024']"), "Kupferfenn"),
		chromedp.SendKeys(chromedp.CSS(".folded input[type=text][maxlength='200']"), "not a language"),
		chromedp.SendKeys(chromedp.CSS(".folded textarea"), "its name on the German page"),
	)
	v.press("Propose it")
	v.sees("language")
	v.sees("not a language")
	_, err := chromedp.Run(v.ctx, chromedp.Evaluate[any](`(() => {
		const field = document.querySelector(".folded input[maxlength='200']")
		field.value = ''
		field.dispatchEvent(new Event('input', { bubbles: true }))
	})()`))
	require.NoError(t, err)
	v.do(chromedp.SendKeys(chromedp.CSS(".folded input[type=text][maxlength='200']"), "de"))
	v.press("Propose it")
	v.sees("It waits for a reviewer as")
	sent, err := chromedp.Run(v.ctx, chromedp.Evaluate[string](`document.querySelector('.folded [role=status] a').getAttribute('href')`))
	require.NoError(t, err)
	v.press("Sign out")
	v.open("/sign-in?next=" + sent)
	v.signIn("anselm")
	v.sees("Asks to add the name Kupferfenn")
	v.sees("its name on the German page")
}

func TestReturningSaysWhy(t *testing.T) {
	v := visit(t)
	v.open("/sign-in?next=/reviews/9")
	v.signIn("anselm")
	v.sees("1 of them log")
	v.press("Return…")
	v.do(chromedp.SendKeys(chromedp.CSS("textarea"), "session.log lies in it too; name *.dat"))
	v.press("Return to ysolde")
	v.sees("Returned by anselm")
	v.sees("name *.dat")
	v.press("Sign out")
	v.sees("Where does it keep my progress?")
	v.open("/sign-in?next=/reviews%3Fstate=returned")
	v.signIn("ysolde")
	v.sees("name *.dat")
	assert.NotContains(t, v.text(), "tobin", "a contributor sees only their own")
	v.open("/reviews/8")
	v.sees("Not found")
}

func TestSearchAnswersAsOneTypes(t *testing.T) {
	v := visit(t)
	v.open("/")
	v.sees("Copperfen")
	v.do(chromedp.SendKeys(chromedp.CSS("input[type=search]"), "ninefold"))
	v.sees("Ninefold Orchard on Linux")
	v.sees("~/.local/share/ninefold-orchard/orchard{slot}.sav")
	v.sees("confirmed")
	_, err := chromedp.Run(v.ctx, chromedp.Poll[bool](`location.search === '?q=ninefold' && !document.body.innerText.includes('Copperfen')`))
	require.NoError(t, err, "the address can be shared")
	v.do(chromedp.Reload())
	v.sees("Ninefold Orchard on Linux")
	v.open("/titles?q=" + url.QueryEscape("https://quayside.example/title/505310/"))
	v.sees("Lantern Hollow on Linux")
	v.sees("the address is its page at Quayside")
	v.open("/titles?q=zzzz")
	v.sees("No title is recorded as “zzzz” yet")
	v.sees(`endroit trace --title zzzz`)
	v.open("/nowhere")
	v.sees("There is no such page")
	v.open("/titles/nowhere")
	v.sees("Not found")
}

func TestEvidenceAndCopying(t *testing.T) {
	v := visit(t)
	v.open(v.title("Tidewrack"))
	v.sees("%APPDATA%\\Tidewrack\\{account}\\profile.bin")
	v.sees("the launcher’s cloud keeps it")
	v.sees("The launcher’s cloud keeps part of it")
	v.press("2 statements")
	v.sees("a traced run used it in version 1.2 (change notifications), accepted by anselm")
	v.sees("the launcher's cloud brought it back")
	v.sees("What would raise its standing")
	v.do(chromedp.Click(chromedp.CSS(`button[aria-label="Copy roaming-app-data:Tidewrack/{account}/profile.bin"]`)))
	v.sees("For Windows' file manager")
	v.sees("For a draft, or a program")
	reason, err := chromedp.Run(v.ctx, chromedp.AttributeValue(chromedp.CSS(".standing"), "aria-label"))
	require.NoError(t, err)
	assert.Contains(t, reason.Value, "observed: seen by 1 person on 1 machine, in a traced run", "the reason is there without a pointer")
}

// An experiment's page compares its starts, a reviewer accepts it, and the title's page says
// what is proven, what deletes it, and what is missing.
func TestAnExperiment(t *testing.T) {
	v := visit(t)
	v.open("/sign-in?next=/reviews/25")
	v.signIn("anselm")
	for _, text := range []string{
		"With all away", "With all in place", "2 files were looked for and missing", "2 files were there and read",
		"Did it show a new game, or your progress?", "All steps", "proven instead of observed", "I did not sail on",
	} {
		v.sees(text)
	}
	v.press("Accept…")
	v.press("Accept and publish")
	v.sees("Accepted by anselm")
	v.open(v.title("Saltglass"))
	v.sees("proven")
	v.sees("Which evidence is missing")
	v.press("Which evidence is missing")
	v.sees("nobody has tried what removing the prefix deletes")
	v.open(v.title("Copperfen"))
	v.sees("Uninstalling deletes this (1 experiment).")
}

func TestEveryFormOfAPathIsShown(t *testing.T) {
	v := visit(t)
	v.open(v.title("Lantern Hollow"))
	for _, text := range []string{"for Windows' file manager", "%USERPROFILE%\\Saved Games\\Lantern Hollow", "for programs in the prefix", "C:\\users\\player\\Saved Games\\Lantern Hollow",
		"for a shell, if it lies in Quayside's own library", `"${XDG_DATA_HOME:-$HOME/.local/share}"/quayside/prefixes/505310/drive_c/users/player/'Saved Games'/'Lantern Hollow'`} {
		v.sees(text)
	}
	v.open(v.title("Tidewrack"))
	v.sees(`"$env:APPDATA\Tidewrack"`)
	v.do(chromedp.Click(chromedp.CSS(`button[aria-label="Copy for PowerShell"]`)))
}

func TestLaunchersAndTheirSheets(t *testing.T) {
	v := visit(t)
	v.open("/")
	v.press("Launchers")
	for _, text := range []string{"~/.local/share/quayside/", "no launcher: plain installers", "confirmed"} {
		v.sees(text)
	}
	v.press("Brasslight")
	for _, text := range []string{"It starts titles of quayside too, by handing over.", "hands over to quayside", "data/shelf.db", "the user inside is called brass", "ysolde tried it"} {
		v.sees(text)
	}
	v.press("quayside")
	v.sees("Its titles are started by brasslight too.")
	v.press("The sheet, as YAML")
	v.sees("each: $.libraries.*")

	v.open("/sign-in?next=/reviews/16")
	v.signIn("anselm")
	for _, text := range []string{"The sheet of the launcher quayside", "systems.linux.home[1]", "does not count for this state", "3 libraries", "sandboxed application too"} {
		v.sees(text)
	}
	v.press("Accept…")
	v.press("Accept and publish")
	v.sees("Accepted by anselm")
	v.press("Revisions")
	v.sees("the sheet of Quayside")
	v.open("/launchers/quayside")
	v.sees("home:.var/app/example.quayside.Launcher/data/quayside/")
	v.sees("seen by 1 person on 1 machine, in an installed launcher; nobody else has confirmed it yet")
	v.open("/launchers/nowhere")
	v.sees("Not found")
}

func TestEveryPageIsAccessibleAndFits(t *testing.T) {
	v := visit(t)
	v.open("/sign-in")
	v.accessible("/sign-in")
	v.signIn("anselm")
	for path, there := range map[string]string{"/titles": "Copperfen", "/titles?q=tidewrack": "Tidewrack on", v.title("Lantern Hollow"): "saved-games", "/reviews": "Submitted", "/reviews/8": "Footprint", "/reviews/16": "What the sheet tells", "/reviews/25": "The starts compared", v.title("Copperfen"): "Uninstalling deletes this", "/launchers": "plain installers", "/launchers/brasslight": "hands over to quayside", "/revisions": "Lantern Hollow", "/nowhere": "no such page"} {
		for _, dark := range []bool{false, true} {
			require.NoError(t, browser.SetView(v.ctx, 1280, 800, dark))
			v.open(path)
			v.sees(there)
			v.accessible(fmt.Sprintf("%s dark=%v", path, dark))
		}
		require.NoError(t, browser.SetView(v.ctx, 390, 800, false))
		wide, err := chromedp.Run(v.ctx, chromedp.Evaluate[float64]("document.documentElement.scrollWidth"))
		require.NoError(t, err)
		assert.LessOrEqual(t, wide, 390.0, "%s does not fit a phone", path)
	}
}

// Nothing is fetched from elsewhere, and nothing breaks the content policy.
func TestPageLoadsNoForeignResource(t *testing.T) {
	v := visit(t)
	messages := chromedp.Console(v.ctx)
	v.open("/titles?q=tidewrack")
	v.sees("Tidewrack on Linux")
	urls, err := chromedp.Run(v.ctx, chromedp.Evaluate[[]string](`performance.getEntriesByType('resource').map((r) => r.name)`))
	require.NoError(t, err)
	require.NotEmpty(t, urls)
	for _, u := range urls {
		assert.True(t, strings.HasPrefix(u, v.address), u)
	}
	_, err = chromedp.Run(v.ctx, chromedp.Evaluate[any](`console.log('the end of the test')`))
	require.NoError(t, err)
	for m, err := range messages {
		require.NoError(t, err)
		text := fmt.Sprint(m)
		if strings.Contains(text, "the end of the test") {
			break
		}
		assert.NotContains(t, text, "Content Security Policy")
	}
}

// Whoever only searches loads little: everything of the first page, as it is sent.
func TestTheFirstLoadIsSmall(t *testing.T) {
	v := visit(t)
	v.open("/titles")
	v.sees("Copperfen")
	bytes, err := chromedp.Run(v.ctx, chromedp.Evaluate[float64](`performance.getEntries().filter((e) => e.encodedBodySize).reduce((n, e) => n + e.encodedBodySize, 0)`))
	require.NoError(t, err)
	t.Logf("%.0f bytes", bytes)
	assert.Less(t, bytes, 200_000.0)
	assert.Greater(t, bytes, 20_000.0)
}

// An answer to another question than the one in the field is never shown.
func TestNoAnswerToAnotherQuestion(t *testing.T) {
	v := visit(t)
	v.open("/titles?q=tidewrack")
	v.sees("Tidewrack on Linux")
	wrong, err := chromedp.Run(v.ctx, chromedp.Evaluate[[]string](`(async () => {
		const field = document.querySelector('input[type=search]')
		const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set
		const wrong = []
		set.call(field, 'saltglass')
		field.dispatchEvent(new Event('input', { bubbles: true }))
		for (let n = 0; n < 400; n++) {
			await new Promise((r) => requestAnimationFrame(r))
			const text = document.querySelector('main').innerText
			if (text.includes('Tidewrack on') || text.includes('Lantern Hollow')) wrong.push(n + ': ' + text.slice(0, 200))
			if (text.includes('Saltglass on')) return wrong.slice(1) // the frame in which one types
		}
		return ['the answer did not come']
	})()`, chromedp.EvalAwaitPromise))
	require.NoError(t, err)
	assert.Empty(t, wrong)
}

// A label that does not stand out from its background is no label: "Sign in" of a page that needs an
// account.
func TestSignInCanBeRead(t *testing.T) {
	v := visit(t)
	for _, dark := range []bool{false, true} {
		require.NoError(t, browser.SetView(v.ctx, 1280, 800, dark))
		v.open("/reviews")
		v.sees("This page needs an account")
		v.accessible(fmt.Sprintf("/reviews without an account dark=%v", dark))
		same, err := chromedp.Run(v.ctx, chromedp.Evaluate[bool](`(() => { const s = getComputedStyle(document.querySelector('main a.v-btn')); return s.color === s.backgroundColor })()`))
		require.NoError(t, err)
		assert.False(t, same)
	}
}
