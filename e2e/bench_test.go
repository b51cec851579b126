package e2e_test

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"
	"syscall"
	"testing"
	"time"

	"northneedle/core/device"
	"northneedle/e2e/browser"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// page is a browser in a test: every step must go through.
type page struct {
	t *testing.T
	*browser.Page
}

func openPage(t *testing.T, s *server, who string) *page {
	t.Helper()
	p, err := browser.Open(s.base)
	require.NoError(t, err)
	t.Cleanup(p.Close)
	if who != "" {
		require.NoError(t, p.SignIn(who, workshop.DemoPassword))
	}
	return &page{t, p}
}

func (p *page) must(err error) {
	p.t.Helper()
	if err != nil {
		p.picture(strings.ReplaceAll(p.t.Name(), "/", "-"))
		require.NoError(p.t, err)
	}
}

// picture takes one where a folder for them is named.
func (p *page) picture(name string) {
	if folder := os.Getenv("NEEDLE_SHOTS"); folder != "" {
		_ = p.Shot(folder + "/" + name + ".png")
	}
}

func (p *page) see(texts ...string) {
	p.t.Helper()
	for _, text := range texts {
		p.must(p.SeeWithin(text, 90*time.Second))
	}
}

// enter presses Enter, each time once the page shows what is expected first: as the step in hand, not
// only in the list of all steps.
func (p *page) enter(expected ...string) {
	p.t.Helper()
	for _, text := range expected {
		p.must(p.SeeNow(text, 90*time.Second))
		time.Sleep(150 * time.Millisecond) // a look, before the key
		p.onward(text)
	}
}

// sign signs the run that stands at its signature, by the password once more.
func (p *page) sign() {
	p.t.Helper()
	p.must(p.Fill("input[name=secret]", workshop.DemoPassword))
	p.must(p.Press("Sign this run"))
}

// onward presses Enter until a text of the step in hand is gone: one that comes while the step before is still being kept
// does nothing, and a person then presses again. A text that is not the step's own is no reason to press twice.
func (p *page) onward(text string) {
	p.t.Helper()
	if p.Held() {
		p.fitsHere(text)
	}
	before, err := browser.Eval[string](p.Page, "document.querySelector('[aria-label=Work] :is(h1, h2)')?.innerText ?? ''")
	require.NoError(p.t, err)
	inHand := func() bool {
		has, err := browser.Eval[bool](p.Page, fmt.Sprintf(`(w => !!w?.innerText.includes(%q) &&
			(w.querySelector(':is(h1, h2)')?.innerText ?? '') === %q)(document.querySelector('[aria-label=Work]'))`, text, before))
		require.NoError(p.t, err)
		return has
	}
	was := inHand()
	p.next()
	for tries := 0; was && tries < 3; tries++ {
		for wait := 0; inHand() && wait < 40; wait++ {
			time.Sleep(50 * time.Millisecond)
		}
		if !inHand() {
			return
		}
		p.next()
	}
}

// next does what is to be done next: by Enter on a desk, in the hand by a tap on what lies under the thumb.
func (p *page) next() {
	p.t.Helper()
	if !p.Held() {
		p.must(p.Key("Enter"))
		return
	}
	under := "#thumb .btn-main:not([disabled])"
	there, err := browser.Eval[bool](p.Page, "!!document.querySelector('[role=dialog], "+under+"')")
	require.NoError(p.t, err)
	if there {
		p.must(p.Tap(under))
	} else {
		p.must(p.Key("Enter")) // the keyboard on the screen has one
	}
}

// fitsHere looks whether all of the page has its place at the size it is held at.
func (p *page) fitsHere(where string) {
	p.t.Helper()
	wrong, err := p.Fits()
	require.NoError(p.t, err)
	assert.Empty(p.t, wrong, where)
}

// simulate switches a fault of the simulated device, whose panel stays open once it is. On a busy
// machine the device may not answer in time: then it is told once more, like by someone who sees that.
func (p *page) simulate(fault string) {
	p.t.Helper()
	if !p.Has(fault) {
		p.must(p.Press("Simulated device"))
	}
	p.see(fault)
	switched := func() bool {
		on, err := browser.Eval[bool](p.Page, fmt.Sprintf(
			`[...document.querySelectorAll('button[aria-pressed=true]')].some(b => b.innerText.trim() === %q)`, fault))
		require.NoError(p.t, err)
		return on
	}
	before := switched()
	for tries := 0; switched() == before && tries < 5; tries++ {
		p.must(p.Press(fault))
		for wait := 0; switched() == before && wait < 100; wait++ {
			time.Sleep(100 * time.Millisecond)
		}
	}
	require.NotEqual(p.t, before, switched(), "%s was not switched", fault)
}

// tell gives every simulated instrument of a kind a command of its own.
func (p *page) tell(kind, command string) {
	p.t.Helper()
	said, err := browser.Eval[string](p.Page, fmt.Sprintf(`(async () => {
		const {links} = await (await fetch('/api/bench')).json()
		const said = await Promise.all(links.filter(l => l.kind === %q).map(l => fetch('/api/stand-ins/' + l.id, {
			method: 'POST', headers: {'Content-Type': 'application/json'}, body: JSON.stringify({command: %q})})))
		return said.map(r => r.status).join(' ')
	})()`, kind, command))
	require.NoError(p.t, err)
	require.Regexp(p.t, `^204( 204)*$`, said)
}

// seeInTime is see for what many readings must come before.
func (p *page) seeInTime(texts ...string) {
	p.t.Helper()
	for _, text := range texts {
		p.must(p.SeeWithin(text, 4*time.Minute))
	}
}

// startBySearch goes from the search field to a run: type, Enter, Enter.
func (p *page) startBySearch(tag string) {
	p.t.Helper()
	if p.Held() {
		p.must(p.Tap("#search"))
	} else {
		p.must(p.Key("/"))
	}
	p.must(p.Fill("#search", tag))
	p.must(p.Key("Enter")) // before the answer is there: it must be this device all the same
	p.see(tag)
	p.enter("Start verification")
	p.see("Each reference is checked")
}

// throughToMeasuring carries a capnograph's run to its first live point.
func (p *page) throughToMeasuring() {
	p.t.Helper()
	p.enter("Take the first that fits", "I have read them", "Look for cracks", "Open a window",
		"seat it until it clicks", "Start the timer")
	p.enter("Meanwhile")
	p.must(p.Fill("input[name=temperature]", "21,4"))
	p.must(p.Key("Enter"))
	p.must(p.Fill("input[name=pressure]", "1008"))
	p.must(p.Key("Enter"))
	p.must(p.Fill("input[name=humidity]", "46"))
	p.must(p.Key("Enter"))
	p.must(p.Fill("input[name=source]", "RC-01"))
	p.must(p.Key("Enter"))
	p.enter("Compare the unit, the convention", "zero the device by its menu", "A leak at the adapter",
		"Open the valves of the 5 %")
	p.see("CO₂ as found: room air")
}

// recordRoom records the room conditions.
func (p *page) recordRoom() {
	p.t.Helper()
	for field, text := range map[string]string{
		"temperature": "21,4",
		"pressure":    "1008",
		"humidity":    "46",
		"source":      "RC-01",
	} {
		p.must(p.Fill("input[name="+field+"]", text))
	}
	p.must(p.Press("Record"))
}

// takeSteady takes the points named, each when its trace is steady.
func (p *page) takeSteady(points ...string) {
	p.t.Helper()
	for _, point := range points {
		p.see(point)
		for tries := 0; p.Has(point) && tries < 5; tries++ { // it may just have stirred again
			p.enter("● Steady")
			for wait := 0; p.Has(point) && !p.Has("not steady yet") && wait < 40; wait++ {
				time.Sleep(50 * time.Millisecond)
			}
		}
		p.must(p.Gone(point))
	}
}

func TestBench(t *testing.T) {
	t.Parallel()
	// The longest last: of tests that wait for a place, the latest gets the next one.
	for _, c := range []struct {
		name  string
		speed float64
		tests []func(*testing.T, *server)
	}{
		{"a reading typed offline, and a scan", 20, []func(*testing.T, *server){keptOffline, scanned}},
		{"a network that comes and goes", 20, []func(*testing.T, *server){networkComesAndGoes}},
		{"a server that hangs, and a session that ends", 20, []func(*testing.T, *server){hangs}},
		{"a pre-use check with things not done", 30, []func(*testing.T, *server){incomplete}},
		{"references, workings and controls", 1, []func(*testing.T, *server){referencesAndWorkings, controls}},
		{"two runs at once", 60, []func(*testing.T, *server){twoRuns}},
		{"an audiometer reads by itself beside another run", 4, []func(*testing.T, *server){sequence}},
		{"electrical safety with its trend", 20, []func(*testing.T, *server){electricalSafety}},
		{"a span is set by its load", 60, []func(*testing.T, *server){spanning}},
		{"a pump is weighed by hand", 120, []func(*testing.T, *server){pumpByHand}},
		{"a cart with its gas left open", 10, []func(*testing.T, *server){cart}},
		{"entries that cannot be right", 20, []func(*testing.T, *server){badEntries}},
		{"an instrument that two people want", 40, []func(*testing.T, *server){handOver}},
		{"screens can be used by everyone", 20, []func(*testing.T, *server){accessible}},
		{"graver acts that are cut off", 40, []func(*testing.T, *server){cutOff}},
		{"a spirometer with a bad stroke and body conditions left on", 4, []func(*testing.T, *server){spirometer}},
		{"a pump is weighed and its set corrected", 120, []func(*testing.T, *server){pump}},
		{"a capnograph from the worklist to its certificate", 40, []func(*testing.T, *server){capnograph}},
		{"a link that fails", 20, []func(*testing.T, *server){failingLink}},
		{"a chemistry analyser's two-point test", 30, []func(*testing.T, *server){twoPointTest}},
		{"a certificate with all that must stay in sight", 40, []func(*testing.T, *server){certificate, review}},
		{"every button of the odd pages", 1, []func(*testing.T, *server){func(t *testing.T,
			s *server) {
			everyButton(t, s, 1)
		}}},
		{"every button of the even pages", 1, []func(*testing.T, *server){func(t *testing.T,
			s *server) {
			everyButton(t, s, 0)
		}}},
		{"a ventilator with a wrong gas condition", 60, []func(*testing.T, *server){ventilator}},
		{"a chamber is trimmed over three rounds", 90, []func(*testing.T, *server){chamber}},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			s := demo(t, c.speed)
			for _, test := range c.tests {
				test(t, s)
			}
		})
	}
}

// capnograph is worked on a tablet held upright, by touch alone.
func capnograph(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.must(p.Hold(820, 1180))
	p.see("MB-0417")
	p.startBySearch("MB-0417")
	p.throughToMeasuring()
	p.takeSteady("CO₂ as found: room air", "CO₂ as found: 5 %", "CO₂ as found: 10 %", "Breath rate as found: 6",
		"Breath rate as found: 12", "Breath rate as found: 30")
	p.enter("Close as found")
	p.see("The error grows with the level: a gain.", "Advised: adjust", "presses up on CO₂ span")
	p.enter("The cell has aged.")
	p.must(p.Press("Make them on the simulated device"))
	p.see("Made on the simulated device")
	p.enter("Note the adjustment")
	p.takeSteady("CO₂ as left: room air", "CO₂ as left: 5 %", "CO₂ as left: 10 %")
	p.enter("Close as left")
	p.enter("Advised: leave as it is")
	p.enter("Shut both valves", "This closes: Sampling adapter")
	p.see("By the name that the simulator shows")
	p.must(p.Fill("input[name=curve]", "R-2 of the probe's maker"))
	p.must(p.Fill("input[name=simulator_own]", "0,5"))
	p.must(p.Press("Record"))
	p.enter("Choose the curve")
	p.takeSteady("SpO₂ as found: 97", "Pulse rate as found: 60", "SpO₂ as found: 90", "Pulse rate as found: 30",
		// one setting, two readings
		"SpO₂ as found: 80", "Pulse rate as found: 120", "SpO₂ as found: 70", "Pulse rate as found: 200")
	p.enter("Close as found", "Advised: leave as it is", "Stop the breath rhythm", "Set the simulator below",
		"Take the probe off", "Run on battery")
	p.see("This closes: Service menu entered")
	p.enter("This closes: Service menu entered", "Wipe down")
	p.must(p.SeeIn("[aria-label=Work]", "Label attached, owner told")) // the rail shows it all the time
	p.next()
	p.see("Conforms after adjustment", "What was done and found")
	p.must(p.Tap("[aria-label=Ledger] button"))
	p.see("agrees with the simulator's curve R-2 of the probe's maker")
	p.fitsHere("the ledger's drawer")
	p.must(p.Press("Close"))
	p.must(p.Gone("agrees with the simulator's curve"))
	assert.False(t, p.Has("Before it can be signed"))
	p.sign()
	p.see("Next due", "Certificate (PDF)")
	kind, err := browser.Eval[string](p.Page,
		"fetch([...document.querySelectorAll('a')].find(a => a.innerText.startsWith('Certificate')).href).then(r => r.status + ' ' + r.headers.get('content-type'))")
	require.NoError(t, err)
	assert.Equal(t, "200 application/pdf", kind)
	p.must(p.Go("/"))
	p.see("Overdue, the riskiest first")
	assert.False(t, p.Has("MB-0417"), "Today reflects it")
}

func twoRuns(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.startBySearch(tagOf(t, p, "c2 merrowby", 4))
	tag, err := p.Text("h1 a")
	require.NoError(t, err)
	p.enter("Take the first that fits", "I have read them", "Look for cracks", "Open a window",
		"seat it until it clicks", "Start the timer")
	p.see("Meanwhile")
	scale, err := browser.Eval[string](p.Page,
		"[...document.querySelectorAll('[data-dock]')].find(a => a.innerText.includes('patient scale')).querySelector('kbd').innerText")
	require.NoError(t, err)
	p.must(p.Key(scale)) // a digit by itself is a reading, and there is nothing here to read
	p.must(p.AltDigit(scale))
	p.see("Corners as found: front left", "The platform can tip")
	expected, err := browser.Eval[string](p.Page,
		"[...document.querySelectorAll('span')].find(s => s.innerText === 'Reference').nextElementSibling.innerText")
	require.NoError(t, err)
	p.must(p.Fill("input[name=reading]", strings.ReplaceAll(expected, ".", ",")))
	p.must(p.Key("Enter"))
	p.see("Corners as found: front right")
	p.see("Warm-up is over")

	other := openPage(t, s, "Idris Vail")
	other.must(other.Press(tagButton(t, other, tag)))
	other.see("Warm-up", "Read the room instruments")
	p.see("Corners as found: front right")
	other.must(other.Go("/bench"))
	other.see("Corners as found: front right", "front left")
}

// tagButton is the words a run's link in the dock begins with.
func tagButton(t *testing.T, p *page, tag string) string {
	p.must(p.Wait("[data-dock='" + tag + "']"))
	number, err := p.Text("[data-dock='" + tag + "'] kbd")
	require.NoError(t, err)
	return number + " " + tag
}

// tagOf finds a device by search words, that is not out of use; the nth of them.
func tagOf(t *testing.T, p *page, search string, n int) string {
	t.Helper()
	text, err := browser.Eval[string](p.Page, "fetch('/api/assets?search="+strings.ReplaceAll(search, " ", "+")+
		"').then(r => r.text())")
	require.NoError(t, err)
	var found workshop.AssetPageView
	require.NoError(t, json.Unmarshal([]byte(text), &found))
	for _, a := range found.Assets {
		if a.State != device.OutOfUse && a.State != device.Retired && a.Tag != "MB-0417" {
			if n--; n < 0 {
				return a.Tag
			}
		}
	}
	require.FailNow(t, "no such device")
	return ""
}

func failingLink(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.startBySearch(tagOf(t, p, "c2 merrowby", 3))
	p.throughToMeasuring()
	p.see("Gas bench: link alive.")
	p.must(p.Press("Simulated device"))
	for fault, words := range map[string]string{"link drop": "the link is lost", "link silent": "eadings can be typed.",
		"link garbage": "cannot be read"} {
		p.must(p.Press(fault))
		p.see(words)
		assert.True(t, p.Has("The reading can be typed"), "the way out is named")
		p.see("Gas bench: link alive.")
	}
	p.must(p.Press("link silent"))
	p.see("eadings can be typed.")
	p.must(p.Fill("input[name=reading]", "0,04"))
	p.must(p.Key("Enter"))
	p.see("CO₂ as found: 5 %", "CO₂ room air: Inside.")
	p.see("● Steady")
}

// handOver has one gas bench and two people: who comes second is told, takes it over in two steps, and the first is
// told and can only type.
func handOver(t *testing.T, s *server) {
	p, q := openPage(t, s, "Idris Vail"), openPage(t, s, "Noor Bexley")
	p.startBySearch(tagOf(t, p, "c2 merrowby", 0))
	p.throughToMeasuring()
	p.see("● Steady")
	q.startBySearch(tagOf(t, q, "c2 stranna", 0))
	q.throughToMeasuring()
	q.see("Idris Vail holds it since", "What it shows is not of your device")
	assert.False(t, q.Has("● Steady"), "nothing of the other device is shown")
	q.must(q.Key("Enter"))
	q.see("There is no reading to take now")
	q.must(q.Press("Take it over …"))
	q.see("Idris Vail is told, and reads nothing more with it")
	q.must(q.Press("Take it over from Idris Vail"))
	q.see("● Steady")
	p.see("Noor Bexley holds it since")
	p.must(p.Key("Enter"))
	p.see("There is no reading to take now")
	p.must(p.Fill("input[name=reading]", "0,04"))
	p.must(p.Key("Enter"))
	p.see("CO₂ as found: 5 %", "CO₂ room air: Inside.")
	q.must(q.Key("Enter"))
	q.see("CO₂ as found: 5 %")
	q.must(q.Go("/bench")) // it is let go of, and the first has it again
	p.see("● Steady")
}

// loseNetwork lets no command of the page through any more, until it is loaded again.
func (p *page) loseNetwork() {
	p.t.Helper()
	_, err := browser.Eval[bool](p.Page, `(real => { window.fetch = (r, o) => (r.url ?? r).endsWith('/commands')
		? Promise.reject(new TypeError('no network')) : real(r, o); return true })(window.fetch)`)
	require.NoError(p.t, err)
}

// keptOffline types a reading while no command reaches the server, and reloads the page: it is recorded once. Then a
// tag is scanned into the field of a reading: its device opens, and nothing was read.
func keptOffline(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.must(p.Press(tagButton(t, p, "MB-0462")))
	p.see("Corners as found: front left")
	path, err := browser.Eval[string](p.Page, "location.pathname.replace('/bench/', '/api/runs/')")
	require.NoError(t, err)
	readings := func() string {
		text, err := browser.Eval[string](p.Page, "fetch('"+path+
			"').then(r => r.json()).then(r => r.measures.flatMap(m => m.points.flatMap(p => p.readings.map(x => m.id + ' ' + p.id + ' ' + x.typed))).join('; '))")
		require.NoError(t, err)
		return text
	}
	before := readings()
	p.loseNetwork()
	p.must(p.Fill("input[name=reading]", "67,1"))
	p.must(p.Key("Enter"))
	p.see("1 entry not recorded yet", "67,1 for Corners front left", "Corners as found: front right")
	assert.Equal(t, before, readings())
	p.must(p.Go(strings.Replace(path, "/api/runs/", "/bench/", 1)))
	p.see("Corners as found: front right")
	p.must(p.Gone("not recorded yet"))
	assert.Equal(t, before+"; corners front-left 67,1", readings(), "once")

	p.must(p.Fill("input[name=reading]", "6"))
	time.Sleep(200 * time.Millisecond) // from the keyboard to the scanner
	p.must(p.Scan("MB-0417"))
	p.see("Ostrel", "MB-0417")
	at, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	assert.Equal(t, "/equipment/MB-0417", at)
	assert.Equal(t, before+"; corners front-left 67,1", readings(), "a scanned tag is never a reading")
}

// hangs has the server stand still while a reading is typed, and the session end: both are said, nothing is lost.
func hangs(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.must(p.Press(tagButton(t, p, "MB-0462")))
	p.see("Corners as found: front left")
	require.NoError(t, s.command.Process.Signal(syscall.SIGSTOP))
	p.see("The server has not answered for")
	p.must(p.Fill("input[name=reading]", "67,1"))
	p.must(p.Key("Enter"))
	p.see("1 entry not recorded yet")
	require.NoError(t, s.command.Process.Signal(syscall.SIGCONT))
	p.see("Corners as found: front right")
	p.must(p.Gone("has not answered for"))
	p.must(p.Gone("not recorded yet"))
	p.must(p.Wait("button.btn-main:not([disabled])"))

	_, err := browser.Eval[int](p.Page, "fetch('/api/session', {method: 'DELETE'}).then(r => r.status)")
	require.NoError(t, err)
	p.must(p.Fill("input[name=reading]", "67,0"))
	p.must(p.Key("Enter"))
	p.see("Your session has ended", "what you typed is kept")
	p.must(p.Fill("input[name=password]", workshop.DemoPassword))
	p.must(p.Key("Enter"))
	p.must(p.Gone("Your session has ended"))
	p.see("Corners as found: front right")
	kept, err := browser.Eval[string](p.Page, "document.querySelector('input[name=reading]').value")
	require.NoError(t, err)
	assert.Equal(t, "67,0", kept)
	p.must(p.Key("Enter"))
	p.see("Corners as found: rear right")
}

func badEntries(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.startBySearch(tagOf(t, p, "c2 stranna", 0))
	p.throughToMeasuring()
	p.must(p.Press("Leave this point out"))
	p.must(p.Fill("textarea", "room air not to be had"))
	p.must(p.Key("Enter"))
	p.see("CO₂ as found: 5 %")
	p.must(p.Fill("input[name=reading]", "abc"))
	p.must(p.Key("Enter"))
	p.see("is not a number: type digits")
	p.must(p.Fill("input[name=reading]", "50,1"))
	p.must(p.Key("Enter"))
	p.see("5.01 would fit", "Yes, it shows that")
	assert.True(t, p.Has("CO₂ as found: 5 %"), "nothing was recorded")

	// The same run in another browser goes on; this one is told what happened.
	path, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	other := openPage(t, s, "Noor Bexley")
	other.must(other.Go(path))
	other.see("CO₂ as found: 5 %")
	other.must(other.Fill("input[name=reading]", "5.02"))
	other.must(other.Key("Enter"))
	other.see("CO₂ as found: 10 %")
	p.see("CO₂ as found: 10 %")
	other.must(other.Key("Backspace"))
	other.see("Withdraw CO₂ 5 %")
	other.must(other.Fill("textarea", "mistyped"))
	other.must(other.Key("Enter"))
	other.see("CO₂ as found: 5 %", "a reading was withdrawn: mistyped")
}

// spirometer takes a spirometer through: a bad stroke is shown and not counted, body
// conditions left on are named and mended, and the readings are taken hands free.
func spirometer(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.startBySearch(tagOf(t, p, "spirometer merrowby", 0))
	p.enter("Take the first that fits", "I have read them", "Fit a new filter")
	p.recordRoom()
	p.enter("Left on, every stroke reads", "Use the right adapter", "Hold the sensor still")
	p.see("Volume as found: slow, injected")
	p.simulate("body conditions left on")
	p.must(p.Press("one bad stroke"))
	p.see("a bang at the end stop")
	p.closeWhenRead("as found")
	p.see("as much as body conditions left on would give", "Advised: look for the cause",
		"Body conditions were left on for the syringe")
	p.must(p.Key("Enter"))
	p.see("Look for the cause, round 1")
	p.simulate("body conditions left on")
	p.see("body conditions left on: mended")
	p.must(p.Press("Outside the device"))
	p.must(p.Press("Read as found again"))
	p.see("Choose what it was")
	p.picture("look-for-the-cause")
	p.outside("Body conditions were left on for the syringe.", "Switched off on the device.")
	p.see("As found again.", "The first was not the device’s")
	p.closeWhenRead("as found")
	p.see("At first, not counted")
	p.picture("set-up")
	p.enter("Advised: leave as it is")
	p.enter("This closes: Sensor off", "This closes: Calibration menu", "Cleaned, label attached")
	p.see("Conforms, after a cause outside the device was removed")
	p.sign()
	p.see("Certificate (PDF)", "Next due")
}

// cart takes a metabolic cart through, and leaves the gas open: it cannot be signed so.
func cart(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.startBySearch(tagOf(t, p, "m9 merrowby", 0))
	p.enter("Take the first that fits", "I have read them", "Assemble the breathing valve",
		"Its filter and dryer tube", "Start the timer",
		"Meanwhile")
	p.recordRoom()
	p.see("Cut it short")
	p.must(p.Key("t"))
	p.must(p.Fill("textarea", "on since the morning"))
	p.must(p.Key("Enter"))
	p.enter("one stroke to be found")
	p.closeWhenRead("as found") // the flow is accepted before a gas valve is opened
	p.see("Advised: leave as it is")
	p.must(p.Key("Enter"))
	p.see("This closes: Syringe on the flow sensor")
	p.enter("This closes: Syringe on the flow sensor", "Open the cylinder of the certified gas")
	p.closeWhenRead("as found")
	p.see("What it means takes the inspired air as room air was taken to be: 20.93 vol% O₂")
	p.see("In expired gas O₂ is off by", "At rest: VO₂", "At hard work: VO₂", "Advised: leave as it is")
	p.must(p.Key("Enter"))
	p.see("This closes: Gas valve open")
	for _, check := range []string{"Calibration menu left", "Pump off, mouthpiece path cleaned",
		"Label attached"} { // with the gas still open
		p.must(p.Press(check))
		p.must(p.SeeIn("[aria-label=Work] h2", check))
		p.enter("Does not apply")
	}
	p.must(p.Press("Sign"))
	p.see("Before it can be signed", "Gas valve open: still a loose end")
	p.must(p.Fill("textarea[name=statement]", "All in order."))
	p.sign()
	p.see("It cannot be signed yet")
	p.must(p.Press("Close the gas valve"))
	p.enter("This closes: Gas valve open")
	p.see("Every point conforms as found")
	p.sign()
	p.see("Certificate (PDF)")
}

// ventilator takes a ventilator through with the analyser left on another gas condition:
// it is named, put right, and everything is read again.
func ventilator(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.must(p.Go("/equipment/" + tagOf(t, p, "v7 merrowby", 0)))
	p.must(p.Press("Ventilator, performance verification"))
	p.see("Each reference is checked")
	p.must(p.Press("1 cannot be used, and why"))
	p.see("FA-2 was last zeroed on", "Prepare FA-2")
	p.enter("Take the first that fits", "I have read them", "Does not apply", "Filter at the analyser's inlet, then",
		"Note what was set before", "Start the timer")
	p.must(p.SeeWithin("Volumes are converted with them", 2*time.Minute)) // once the ventilator is warm
	p.recordRoom()
	p.see("Read them on both devices")
	body := "BTPS: 37 °C, ambient pressure, saturated"
	for field, choice := range map[string]string{
		"flowing":              "air",
		"mixture_set":          "pure oxygen",
		"analyser_condition":   body,
		"ventilator_condition": body,
		"trigger":              "adult",
		"patient_group":        "adult",
	} {
		p.must(p.Choose("select[name="+field+"]", choice))
	}
	p.must(p.Fill("input[name=small_volume]", "20"))
	p.must(p.Press("Record"))
	p.see("every volume is off by one factor. Set it right")
	p.must(p.Choose("select[name=mixture_set]", "air"))
	p.tell("flow-analyser", "SIMulate:FAULt CONDITION,ON") // before the first point: points are taken by themselves
	p.must(p.Press("Record"))
	p.seeInTime("This opens a loose end: Oxygen supply on")
	p.must(p.Key("Enter"))
	p.seeInTime("This closes: Oxygen supply on")
	p.must(p.Key("Enter"))
	p.seeInTime("nothing starts one by itself")
	p.enter("nothing starts one by itself", "Close as found")
	p.see("Every volume is off by one factor", "the analyser set to STPD, not to BTPS as recorded",
		"Advised: look for the cause")
	p.must(p.Key("Enter"))
	p.see("Look for the cause, round 1")
	p.simulate("analyser left on STPD")
	p.see("analyser left on STPD: mended")
	p.must(p.Press("Outside the device"))
	p.outside("The analyser's gas condition or gas mixture was not matched.", "The analyser stood on STPD; set to BTPS.")
	p.see("As found again.")
	p.seeInTime("This opens a loose end: Oxygen supply on")
	p.must(p.Key("Enter"))
	p.seeInTime("This closes: Oxygen supply on")
	p.must(p.Key("Enter"))
	p.closeWhenRead("as found")
	p.enter("Advised: leave as it is", "Close as found", "Advised: leave as it is")
	p.enter("Does not apply", "This closes: Test settings active", "This closes: Analyser and test lung",
		"Cleaned, label attached")
	p.see("Conforms, after a cause outside the device was removed")
	p.must(p.Choose("select[name=reviewer]", "Tamsin Orrery")) // a device that keeps people alive: not by one alone
	p.sign()
	p.see("Signed, waiting for review")
}

// outside says which cause lay outside the device, and what was put right.
func (p *page) outside(cause, done string) {
	p.t.Helper()
	p.must(p.Wait("input[name=cause]"))
	_, err := browser.Eval[bool](p.Page,
		fmt.Sprintf("([...document.querySelectorAll('input[name=cause]')].find(i => i.value === %q).click(), true)", cause))
	require.NoError(p.t, err)
	p.must(p.Fill("input[name=put-right]", done))
	p.must(p.Key("Enter"))
}

// incomplete signs a pre-use check in which the self-test and the alarms were not done, and the exchanger is not fitted:
// it is not complete, and the paper says so.
func incomplete(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	tag := tagOf(t, p, "ventilator merrowby", 2)
	p.must(p.Key("/"))
	p.must(p.Fill("#search", tag))
	p.must(p.Key("Enter"))
	p.see("Ventilator, pre-use check")
	p.must(p.Press("Ventilator, pre-use check"))
	p.enter("I have read them", "Mains, battery and gas supply")
	for _, field := range []string{"group", "circuit", "sensor"} {
		p.must(p.Choose("select[name="+field+"]", "adult"))
	}
	p.must(p.Press("Record"))
	p.enter("Circuit and flow sensor for")
	p.answer("Power-on self-test", "Not done …", "no time", "Leave it out")
	p.enter("This opens a loose end: Patient port blocked")
	p.seeInTime("This closes: Patient port blocked")
	p.enter("This closes: Patient port blocked", "In both directions")
	p.answer("Only now, after tightness", "Not fitted …", "an active humidifier is used", "Record it")
	p.enter("Start the timer")
	p.must(p.SeeWithin("Adapter on, away from anything exhaled", time.Minute))
	p.enter("Adapter on, away from anything exhaled")
	p.answer("Only after its replacement", "Not done …", "not replaced", "Leave it out")
	p.answer("Disconnect, high pressure, low volume", "Not done …", "the ward is full", "Leave it out")
	p.enter("Close as found", "Advised: leave", "Settings for the next patient restored")
	p.see("Not complete: no statement of conformity", "Not done: Power-on self-test; Alarms.")
	assert.False(t, p.Has("Conforms"))
	p.picture("incomplete")
	p.must(p.Choose("select[name=reviewer]", "Tamsin Orrery"))
	p.sign()
	p.see("Signed, waiting for review", "Not complete", "What was due stays due")
}

// answer answers a check otherwise than fine, with its reason.
func (p *page) answer(check, button, reason, record string) {
	p.t.Helper()
	p.must(p.SeeNow(check, 90*time.Second))
	p.must(p.Press(button))
	p.must(p.Fill("textarea", reason))
	p.must(p.Press(record))
	p.must(p.Gone(record))
}

// closeWhenRead waits until points that are taken by themselves are all read, and closes them.
func (p *page) closeWhenRead(phase string) {
	p.t.Helper()
	p.must(p.SeeWithin("Close "+phase, 4*time.Minute))
	p.enter("Close " + phase)
}

// pump weighs what a pump delivers with the wrong set, has it entered in the pump's own
// form, and verifies it at other rates.
func pump(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.startBySearch(tagOf(t, p, "p1 merrowby", 0))
	p.enter("Take the first that fits", "I have read them", "Does not apply", "The named set, straight in its channel")
	p.see("One gram is not one millilitre")
	p.must(p.Fill("input[name=administration_set]", "Marrable 20 drops/mL, lot 4471"))
	p.must(p.Fill("input[name=water_temperature]", "22"))
	p.must(p.Fill("input[name=evaporation]", "0,02"))
	p.must(p.Press("Record"))
	p.see("Balance and cup out of any draught")
	p.recordRoom()
	p.enter("Then the tip over the cup")
	p.see("Stage as found: 1, 25 mL/h")
	p.simulate("wrong set selected")
	p.closeWhenRead("as found")
	p.see("The same everywhere: the wrong set is selected", "Advised: adjust", "in its form enter",
		"mL at Stage 2, 400 mL/h")
	p.must(p.Key("Enter"))
	p.see("Adjust, round 1", "multiply the factor of this set by")
	p.must(p.Press("Make them on the simulated device"))
	p.see("Made on the simulated device")
	p.must(p.Press("Note the adjustment"))
	p.closeWhenRead("as left")
	p.see("Advised: leave")
	p.must(p.Key("Enter"))
	p.see("Flow as found: 10 mL/h")
	for _, where := range []string{"Clamp closed beyond the gauge", "Clamp opened, and closed again",
		"line released into the cup"} {
		p.moved(where)
	}
	p.closeWhenRead("as found")
	p.see("Delivered")
	p.enter("Advised: leave", "Close as found", "Advised: leave", "Each alarm once",
		"This closes: Test set in the pump", "This closes: Calibration menu entered", "Cleaned, label attached")
	p.see("Conforms after adjustment")
}

// chamber trims three zones until they hold: first each by itself, then all together.
func chamber(t *testing.T, s *server) {
	p := openPage(t, s, "Noor Bexley")
	tag := tagOf(t, p, "w6 merrowby", 0)
	// It follows quickly, and is so far off that one round of trims, each zone by itself, cannot do.
	for _, command := range []string{"SIMulate:LAG 2", "SIMulate:DEVice " + tag, "SIMulate:PRESs TRIM,16,zone-1",
		"SIMulate:PRESs TRIM,-12,zone-2", "SIMulate:PRESs TRIM,14,zone-3"} {
		p.tell("chamber-probe", command)
	}
	p.startBySearch(tag)
	p.enter("Take the first that fits", "I have read them", "Empty, clean, no cultures",
		"A lid that does not close makes one side low", "seated with its whole length")
	p.see("Look in its menu, change nothing yet")
	p.must(p.Choose("select[name=trim]", "in presses, up and down"))
	p.must(p.Choose("select[name=lid]", "it has none"))
	p.must(p.Press("Record"))
	p.enter("Other runs can go on meanwhile")
	p.must(p.SeeWithin("Upper as found: zone 1", 2*time.Minute))
	p.see("Probe into zone 1, upper")
	p.must(p.Press("Let it read by itself"))
	p.see("It waits for the hand: Probe into zone 1, upper") // a sequence waits for the hand too
	p.must(p.Press("Stop it"))
	p.see("Let it read by itself")
	p.probe("upper", "lower")
	p.picture("chamber-ledger")
	p.closeWhenRead("as found")
	rounds := 0
	for p.must(p.SeeWithin("Advised:", 20*time.Second)); p.Has("Advised: adjust"); rounds++ {
		if rounds > 0 {
			p.see("all zones together, by how they moved each other before")
		}
		p.must(p.Key("Enter"))
		p.see("Adjust, round")
		p.must(p.Press("Make them on the simulated device"))
		p.see("Made on the simulated device")
		p.must(p.Press("Note the adjustment"))
		p.see("Upper as left: zone 1")
		p.probe("upper", "lower")
		p.closeWhenRead("as left")
		p.must(p.SeeWithin("Advised:", 20*time.Second))
	}
	p.see("Advised: leave")
	require.GreaterOrEqual(t, rounds, 2, "as found and two rounds as left at least")
	p.enter("Advised: leave", "Probe into zone 1, upper")
	p.closeWhenRead("as found")
	p.enter("Advised: leave", "This closes: Trim menu entered", "This closes: Probe in the chamber",
		"Cleaned, label attached")
	p.see("Conforms after adjustment")
}

// probe moves the probe through every zone of some rows: each point is read once the hand has said so.
func (p *page) probe(rows ...string) {
	p.t.Helper()
	for _, row := range rows {
		for zone := 1; zone <= 6; zone++ {
			p.moved(fmt.Sprintf("Probe into zone %d, %s", zone, row))
		}
	}
}

// moved waits until something is to be moved by hand, and says that it is there.
func (p *page) moved(where string) {
	p.t.Helper()
	p.must(p.SeeNow(where, 4*time.Minute))
	p.must(p.Wait(`button.min-h-14:not([disabled])`)) // what was noted before is recorded
	p.must(p.Press("It is there"))
	p.must(p.Gone(where))
}

// controls shows a glucose that has wandered until it is rejected, and has another one
// rejected, which blocks the analyser until the next is accepted.
func controls(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.must(p.Go("/control"))
	p.see("glucose", "No patient work on this analyser", "it suggests a systematic error", "are in doubt")
	p.must(p.Press("creatinine"))
	p.see("Control run now", "Level 2")
	p.must(p.Press("2 years"))
	p.see("lot C2-")
	p.must(p.Fill("input[name=level-1]", "a lot"))
	p.must(p.Press("Record"))
	p.see("Nothing was recorded")
	p.must(p.Fill("input[name=level-1]", "130"))
	p.must(p.Key("Enter"))
	p.see("Rejected by 1-3s", "it suggests a random error")
	tag, err := browser.Eval[string](p.Page, "location.pathname.split('/')[2]")
	require.NoError(t, err)
	p.must(p.Go("/equipment/" + tag))
	p.see("No patient work.", "Control of creatinine: Rejected")
	p.must(p.Go("/control/" + tag + "/creatinine"))
	p.must(p.Fill("input[name=level-1]", "88"))
	p.must(p.Fill("input[name=level-2]", "420"))
	p.must(p.Key("Enter"))
	p.see("Accepted")
}

// sequence has an audiometer read by itself, while its technician looks at another run,
// and stop by itself once the coupler is tipped.
func sequence(t *testing.T, s *server) {
	p := openPage(t, s, "Noor Bexley")
	tag := tagOf(t, p, "audiometer", 0)
	p.startBySearch(tag)
	p.enter("Take the first that fits", "I have read them", "Serial numbers of both sides")
	p.see("Threshold, limit, force and coupler go with the transducer")
	for field, words := range map[string]string{"right_earphone": "S6, serial 4410",
		"left_earphone": "S6, serial 4411", "coupler_mark": "EC-1, 6 cm³"} {
		p.must(p.Fill("input[name="+field+"]", words))
	}
	p.must(p.Choose("select[name=transducer]", "supra-aural, on the 6 cm³ coupler (IEC 60318-3), 4.5 N"))
	p.must(p.Choose("select[name=bone]", "not with this audiometer, or not today"))
	p.must(p.Press("Record"))
	p.see("From which error on the set-up is looked at first")
	for field, words := range map[string]string{"mode": "adjust what is worth it", "far_out": "5 dB",
		"steps":      "steps of 10 dB, down to −10 dB: half the time",
		"room_table": "occupational programmes (29 CFR 1910.95, table D-1)"} {
		p.must(p.Choose("select[name="+field+"]", words))
	}
	p.must(p.Press("Record"))
	p.recordRoom()
	p.see("Analyser on the calibrator as found", "before any earphone is mounted")
	p.must(p.Fill("input[name=reading]", "94.0"))
	p.onward("Analyser on the calibrator as found")
	p.enter("Close as found", "Advised: leave", "The transducer centred on its coupler",
		"Earphone on the coupler, talk-over off")
	p.see("Right as found: 125 Hz")
	p.picture("audiometer-tone")
	p.enter("Coupler under the right earphone")
	p.must(p.Press("Let it read by itself"))
	p.see("Right as found: 750 Hz")
	p.must(p.Press("Stop it"))
	p.see("Let it read by itself")
	stopped := p.record()
	p.must(p.Press("Let it read by itself")) // it goes on where it stopped
	scale, err := browser.Eval[string](p.Page,
		"[...document.querySelectorAll('[data-dock]')].find(a => a.innerText.includes('patient scale')).dataset.dock")
	require.NoError(t, err)
	p.must(p.Press(tagButton(t, p, scale))) // another run, in the dock
	p.see("reads by itself: Right")
	p.see("by hand: Coupler under the left earphone") // nothing more is read before
	p.must(p.Press(tagButton(t, p, tag)))
	p.see("It waits for the hand: Coupler under the left earphone")
	p.simulate("coupler tipped")
	p.must(p.Press("It is there"))
	p.see("It stopped:", "is far out. Look at the set-up before going on")
	for i, point := range p.record().Measures[1].Points {
		for j, reading := range stopped.Measures[1].Points[i].Readings {
			assert.Equal(t, reading.ID, point.Readings[j].ID,
				"what was read before it was interrupted stays, and is not read again")
		}
		assert.Len(t, point.Readings, 1)
	}
}

// referencesAndWorkings looks a loss of gas up, reads a gauge, and follows a point's
// uncertainty from the bench into the workings.
func referencesAndWorkings(t *testing.T, s *server) {
	p := openPage(t, s, "Tamsin Orrery")
	p.must(p.Go("/references"))
	p.see("HG-23")
	p.must(p.Press("HG-23"))
	p.see("Chain of traceability", "34 L", "valve found open in the morning")
	p.must(p.Press("Read the gauge"))
	p.must(p.Fill("input[name=bar]", "none"))
	p.must(p.Press("Note it"))
	p.see("Nothing was recorded")
	p.must(p.Fill("input[name=bar]", "80,5"))
	p.must(p.Fill("input[name=metered]", "7"))
	p.must(p.Press("Note it"))
	p.must(p.Gone("Nothing was recorded"))
	p.see("80.5 bar")
	p.must(p.Go("/references/FS-2"))
	p.see("ran out")
	p.must(p.Press("Quarantine"))
	p.must(p.Fill("textarea", "sent for calibration"))
	p.must(p.Key("Enter"))
	p.see("quarantined: sent for calibration")

	p.must(p.Go("/bench"))
	p.must(p.Wait("[data-dock]"))
	scale, err := browser.Eval[string](p.Page,
		"[...document.querySelectorAll('[data-dock]')].find(a => a.innerText.includes('patient scale')).dataset.dock")
	require.NoError(t, err)
	p.must(p.Press(scale))
	p.must(p.Wait("[aria-label$='readings and budget']"))
	_, err = browser.Eval[bool](p.Page,
		"document.querySelector('[aria-label$=\"readings and budget\"]').click() || true")
	require.NoError(t, err)
	p.see("Where U comes from", "from their certificate", "It conforms")
	p.must(p.Press("Work with this budget"))
	p.see("The budget of MB-0", "JCGM 100")
	p.must(p.Fill("input[name=width-0]", "9x"))
	p.see("Fill in numbers")
	p.must(p.Fill("input[name=width-0]", "9"))
	p.see("100 %")
	p.must(p.Press("Error anatomy"))
	p.see("The error grows with the level: a gain.")
	p.must(p.Fill("textarea[name=points]", "1 1.5"))
	p.see("Too few levels to tell")
}

// accessible runs axe-core on what is not met by walking every page: before signing in, at night,
// and along a run.
func accessible(t *testing.T, s *server) {
	axe := axeCore(t)
	check := func(p *page, name string) { p.sound(t, axe, name) }
	outside := openPage(t, s, "")
	outside.must(outside.Go("/"))
	outside.see("Sign in", "Demo with made-up")
	check(outside, "sign-in")

	p := openPage(t, s, "Idris Vail")
	p.see("What to bring")
	_, err := browser.Eval[bool](p.Page, "(document.documentElement.dataset.light = 'night', true)")
	require.NoError(t, err)
	check(p, "at night")
	p.must(p.Key("?"))
	p.see("withdraw the last reading")
	check(p, "keys")
	p.must(p.Key("Escape"))
	p.must(p.Gone("withdraw the last reading"))
	p.must(p.Key("l"))
	p.see("Left open by a step")
	check(p, "loose ends")

	for _, words := range []string{"c2 merrowby"} {
		p.must(p.Go("/"))
		p.see("What to bring")
		p.startBySearch(tagOf(t, p, words, 2))
		check(p, "bring together")
		p.throughToMeasuring()
		check(p, "a live point")
	}
	p.must(p.Go("/equipment/" + tagOf(t, p, "c2 ardrennish", 0)))
	p.see("record")
	p.must(p.Press("record"))
	p.see("Signed by")
	check(p, "a signed run")
	p.must(p.Wait("[aria-label$='readings and budget']"))
	_, err = browser.Eval[bool](p.Page,
		"document.querySelector('[aria-label$=\"readings and budget\"]').click() || true")
	require.NoError(t, err)
	p.see("Where U comes from")
	check(p, "a point's budget")
}
