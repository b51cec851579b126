package e2e_test

import (
	"fmt"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"northneedle/e2e/browser"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// mostPressed is how many buttons of a page are pressed: of those that bear the same
// words, the first.
const mostPressed = 3

// everywhere are the pages, with a text by which each is known to be there.
var everywhere = []struct{ path, sign string }{
	{"/", "What to bring"}, {"/bench", "Corners"}, {"/equipment", "Show more"},
	{"/equipment/MB-0417", "Fingerprint over time"}, {"/equipment/MB-0516", "Fingerprint over time"},
	{"/references", "HG-22"}, {"/references/HG-23", "Gas book"}, {"/references/AC-1", "Certificates"},
	{"/rounds", "The year ahead"}, {"/control", "Control run now"},
	{"/look-back", "Runs that rested on it"}, {"/intervals", "What another interval would mean"},
	{"/reports", "Gas used and lost"},
	{"/workings/gas", "Water vapour:"}, {"/workings/budget", "Coverage"}, {"/workings/tolerance", "conforms"},
	{"/workings/anatomy", "a gain"}, {"/workings/correction", "Dead space"}, {"/workings/cylinder", "Lasts"},
	{"/workings/weighing", "Pump weighing"}, {"/workings/weights", "Weights and limits"},
	{"/workings/dilution", "Real level"}, {"/workings/concentration", "Concentration"},
	{"/workings/comparison", "Slope"}, {"/workings/economics", "Worth calibrating?"},
	{"/house/people", "Who may do what alone"}, {"/house/lab", "Whose tolerances"}, {"/house/day", "Hands, in minutes"},
	{"/house/figures", "Intervals and prices"}, {"/house/procedures", "Being written"},
	{"/procedures/breath-monitor-check", "Revisions"}, {"/drafts/draft-0001", "It can be read"}, {"/house/lists", "Take out"},
	{"/house/record", "Copies"}, {"/house/told", "Who is told"}, {"/safety", "Our devices"},
	{"/guide", "What do you want to do?"},
	{"/me", "Where you are signed in"},
	{"/nowhere", "There is nothing here"},
}

// slips are what no page says: words and figures that run together, a code in the place of a unit, one of something as
// several, a hole where a name should stand.
var slips = []*regexp.Regexp{
	regexp.MustCompile(`[a-z](The|It|What|No) [a-z]+`), regexp.MustCompile(`[^.\d]\d+\.\d{3,}\.\d`), regexp.MustCompile(`\b1 (strokes|points|runs|days|minutes|readings|devices|rows|events)\b`),
	regexp.MustCompile(`\d (Cel|deg|mm\[Hg\]|cm\[H2O\]|\[ppm\])( |$)`), regexp.MustCompile(`\br76 class\b`),
	regexp.MustCompile(` is an? ;|\(\)|undefined|NaN|\[object|\{\{`),
}

// everyButton presses what there is, page by page, and wants no complaint of
// a script, no failure of the server, nothing that does not fit its size, and
// nothing that somebody who does not see well could not use, in what opens either.
func everyButton(t *testing.T, s *server, half int) {
	p := openPage(t, s, "Tamsin Orrery")
	p.see("What to bring")
	axe := axeCore(t)
	_, err := browser.Eval[int](p.Page, `fetch('/api/procedures/ventilator-performance').then(r => r.json()).then(({text}) => fetch('/api/drafts/draft-0001', {
		method: 'PUT', headers: {'Content-Type': 'application/json'}, body: JSON.stringify({text, why: 'to be looked at'})})).then(r => r.status)`)
	require.NoError(t, err)
	pressed := 0
	for i, page := range everywhere {
		if i%2 != half {
			continue
		}
		p.must(p.Go(page.path))
		p.see(page.sign)
		p.sound(t, axe, page.path)
		p.inTheHand(t, axe, page.path)
		names, err := browser.Eval[[]string](p.Page,
			`[...new Set([...document.querySelectorAll('main button:not(th button), main [role=button], main summary')].filter(b => !b.disabled && b.offsetParent).map(b => b.innerText.trim() || b.getAttribute('aria-label')))].filter(Boolean)`)
		require.NoError(t, err)
		for _, name := range names[:min(len(names), mostPressed)] {
			if slices.Contains([]string{"Start"}, name) { // opens a run on the bench: that is walked elsewhere
				continue
			}
			there, err := browser.Eval[bool](p.Page,
				fmt.Sprintf(`(() => { const b = [...document.querySelectorAll('main button:not(th button), main [role=button], main summary')].find(b => !b.disabled && b.offsetParent && (b.innerText.trim() || b.getAttribute('aria-label')) === %q); b?.click(); return !!b })()`, name))
			require.NoError(t, err)
			if !there {
				continue
			}
			pressed++
			time.Sleep(150 * time.Millisecond)
			where := page.path + ", after " + name
			dialog, err := browser.Eval[bool](p.Page, "!!document.querySelector('[role=dialog]')")
			require.NoError(t, err)
			if dialog {
				p.sound(t, axe, where)
			}
			for _, trouble := range p.Troubles() {
				assert.Fail(t, trouble, where)
			}
			if dialog {
				p.must(p.Key("Escape"))
			}
			left, err := browser.Eval[bool](p.Page,
				fmt.Sprintf(`location.pathname !== %q || !!document.querySelector('[role=dialog]')`, page.path))
			require.NoError(t, err)
			if left {
				p.must(p.Within("/me")) // another view first: the router then mounts this one again
				p.see("Your")
				p.must(p.Within(page.path))
				p.see(page.sign)
			}
		}
	}
	assert.Greater(t, pressed, 30)
	assert.NotContains(t, s.out.String(), "request failed")
	assert.NotContains(t, s.out.String(), "panic")
}

// sizes are what is held in the hand: a tablet upright and lying, a phone, and a phone and a tablet whose reader chose
// letters twice as large.
var sizes = []struct{ width, height, letters int }{{820, 1180, 16}, {1180, 820, 16}, {390, 844, 16}, {390, 844, 32}, {820, 1180, 32}}

// inTheHand looks at a page at each of those sizes.
func (p *page) inTheHand(t *testing.T, axe, where string) {
	t.Helper()
	for _, size := range sizes {
		p.must(p.Letters(size.letters))
		p.must(p.Hold(size.width, size.height))
		at := fmt.Sprintf("%s at %d × %d, letters of %d px", where, size.width, size.height, size.letters)
		if size.width == 390 && size.letters == 16 {
			p.sound(t, axe, at)
		} else {
			p.fitsHere(at)
		}
	}
	p.must(p.Letters(16))
	p.must(p.PutDown())
}

// axeCore is the script that looks for what keeps people from using a page.
func axeCore(t *testing.T) string {
	t.Helper()
	script, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	require.NoError(t, err)
	return string(script) + "; true"
}

// sound holds what a page shows against what every page must be.
func (p *page) sound(t *testing.T, axe, where string) {
	t.Helper()
	loaded, err := browser.Eval[bool](p.Page, "!!window.axe")
	require.NoError(t, err)
	if !loaded {
		_, err = browser.Eval[bool](p.Page, axe)
		require.NoError(t, err)
	}
	found, err := browser.Eval[[]string](p.Page,
		`axe.run(document.querySelector('[role=dialog]') ?? document, {resultTypes: ['violations']}).then(r => r.violations.filter(v => ['serious', 'critical'].includes(v.impact)).map(v => v.id + ': ' + v.nodes.map(n => n.html.slice(0, 120) + ' ' + n.any.map(a => a.message)).join(' | ')))`)
	require.NoError(t, err)
	assert.Empty(t, found, where)
	p.fitsHere(where)
	text, err := browser.Eval[string](p.Page,
		"[...document.querySelectorAll('main, [role=dialog]')].map(e => e.innerText).join('\\n')")
	require.NoError(t, err)
	for _, slip := range slips {
		assert.Empty(t, slip.FindString(text), where)
	}
	for _, trouble := range p.Troubles() {
		if !strings.Contains(trouble, "401") {
			assert.Fail(t, trouble, where)
		}
	}
}
