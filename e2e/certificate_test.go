package e2e_test

import (
	"fmt"
	"image"
	"image/color"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"northneedle/e2e/browser"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// logo is a made-up picture for a lab's papers.
func logo(t *testing.T) string {
	t.Helper()
	picture := image.NewRGBA(image.Rect(0, 0, 240, 90))
	for x := range 240 {
		for y := range 90 {
			c := color.RGBA{238, 232, 214, 255}
			if (x/6+y/6)%9 < 3 && x > 20 && x < 220 && y > 15 && y < 75 {
				c = color.RGBA{13, 100, 112, 255}
			}
			picture.Set(x, y, c)
		}
	}
	file := filepath.Join(t.TempDir(), "logo.png")
	out, err := os.Create(file)
	require.NoError(t, err)
	defer out.Close()
	require.NoError(t, png.Encode(out, picture))
	return file
}

// paper fetches a file that the page links to as the words say, and gives its words; empty without a tool to read them.
func (p *page) paper(link, name string) string {
	p.t.Helper()
	text, err := browser.Eval[string](p.Page, fmt.Sprintf(`fetch([...document.querySelectorAll('a')].find(a => a.innerText.startsWith(%q)).href).
		then(r => r.arrayBuffer()).then(b => Array.from(new Uint8Array(b), x => x.toString(16).padStart(2, '0')).join(''))`, link))
	require.NoError(p.t, err)
	raw := make([]byte, len(text)/2)
	_, err = fmt.Sscanf(text, "%x", &raw)
	require.NoError(p.t, err)
	require.True(p.t, strings.HasPrefix(string(raw), "%PDF-"))
	file := filepath.Join(p.t.TempDir(), name+".pdf")
	if folder := os.Getenv("NEEDLE_SHOTS"); folder != "" {
		file = filepath.Join(folder, name+".pdf")
	}
	require.NoError(p.t, os.WriteFile(file, raw, 0o600))
	if _, err := exec.LookPath("pdftotext"); err != nil {
		return ""
	}
	words, err := exec.Command("pdftotext", "-layout", file, "-").Output()
	require.NoError(p.t, err)
	return strings.Join(strings.Fields(string(words)), " ")
}

// tight is text without its spaces: how wide they are on paper says nothing.
func tight(text string) string { return strings.ReplaceAll(text, " ", "") }

// typed types readings one after another, each at the point that is named.
func (p *page) typed(readings ...[2]string) {
	p.t.Helper()
	for _, r := range readings {
		p.see(r[0])
		p.must(p.Fill("input[name=reading]", r[1]))
		p.onward(r[0])
	}
}

// look opens a point's own page from the ledger.
func (p *page) look(point string) {
	p.t.Helper()
	p.must(p.Wait(fmt.Sprintf("[aria-label='%s: readings and budget']", point)))
	_, err := browser.Eval[bool](p.Page, fmt.Sprintf("(document.querySelector(`[aria-label='%s: readings and budget']`).click(), true)", point))
	require.NoError(p.t, err)
}

// certificate goes a capnograph's whole way by hand, with all that must stay in sight: a reading far out, one of the middle
// read again, a reference exchanged half-way, a point of one's own; on the paper of a lab with address, logo and scope.
func certificate(t *testing.T, s *server) {
	lead := openPage(t, s, "Tamsin Orrery")
	lead.must(lead.Go("/house/papers"))
	lead.must(lead.Fill("textarea[name=address]", "Slipway 4, Merrowby"))
	lead.must(lead.Attach("input[name=logo]", logo(t)))
	lead.see("The logo is kept.")
	lead.must(lead.Fill("input[name=body]", "Hallowmere Accreditation Office"))
	lead.must(lead.Fill("input[name=number]", "HAO-0113"))
	lead.must(lead.Choose("select[name=scope]", "Capnograph with pulse oximeter, verification: CO₂"))
	lead.must(lead.Press("Add it to the scope"))
	lead.must(lead.Fill("input[name=from-0]", "1"))
	lead.must(lead.Fill("input[name=to-0]", "6"))
	lead.must(lead.Fill("input[name=cmc-0]", "0.01"))
	lead.must(lead.Press("Keep"))
	lead.see("Kept. Runs opened from now on carry it.")
	lead.picture("house-papers")

	p := openPage(t, s, "Idris Vail")
	tag := tagOf(t, p, "c2 merrowby", 4)
	p.startBySearch(tag)
	p.throughToMeasuring()
	p.typed([2]string{"CO₂ as found: room air", "0,04"}, [2]string{"CO₂ as found: 5 %", "1,2"})
	p.see("Far out: look at the set-up first")
	p.must(p.Fill("input[name=set-up]", "The sampling line was off the adapter."))
	p.must(p.Key("Enter"))
	p.typed([2]string{"CO₂ as found: 5 %", "5,11"})
	p.see("CO₂ as found: 10 %")
	p.look("CO₂ 5 %")
	p.must(p.Press("Withdraw, and read again"))
	p.must(p.Fill("input[name=why]", "The breath was uneven"))
	p.must(p.Press("Withdraw it"))
	p.see("withdrawn: The breath was uneven")
	p.must(p.Press("Close"))
	p.typed([2]string{"CO₂ as found: 5 %", "5,06"})
	p.see("CO₂ as found: 10 %")

	p.must(p.Press("A point of your own"))
	p.must(p.Fill("input[name=own-at]", "9"))
	p.must(p.Fill("input[name=own-label]", "diluted, 9 %"))
	p.must(p.Press("Add it"))
	p.see("give the uncertainty of its value")
	p.must(p.Fill("input[name=own-u]", "0,12"))
	p.must(p.Press("Add it"))
	p.see("diluted, 9 %")

	p.must(p.Press("Bring together"))
	p.see("HG-27 certificate until")
	p.must(p.Press("HG-27"))
	p.see("Exchange HG-22 for HG-27 from here on")
	p.must(p.Fill("textarea", "HG-22 ran low"))
	p.must(p.Key("Enter"))
	p.see("exchanged for HG-27")
	p.typed([2]string{"CO₂ as found: 10 %", "10,1"}, [2]string{"CO₂ as found: diluted, 9 %", "9,0"},
		[2]string{"Breath rate as found: 6", "6"}, [2]string{"Breath rate as found: 12",
			"12"}, [2]string{"Breath rate as found: 30", "30"})
	p.enter("Close as found", "Advised: leave as it is")
	p.seeInTime("This closes: Gas open")
	p.enter("This closes: Gas open", "This closes: Sampling adapter")
	p.see("By the name that the simulator shows")
	p.must(p.Fill("input[name=curve]", "R-2 of the probe's maker"))
	p.must(p.Fill("input[name=simulator_own]", "0,5"))
	p.must(p.Press("Record"))
	p.enter("Choose the curve")
	p.typed([2]string{"SpO₂ as found: 97", "97"}, [2]string{"Pulse rate as found: 60", "60"},
		[2]string{"SpO₂ as found: 90", "90"},
		[2]string{"Pulse rate as found: 30", "30"}, [2]string{"SpO₂ as found: 80",
			"81"}, [2]string{"Pulse rate as found: 120", "120"},
		[2]string{"SpO₂ as found: 70", "71"}, [2]string{"Pulse rate as found: 200", "200"})
	p.enter("Close as found", "Advised: leave as it is", "Stop the breath rhythm", "Set the simulator below",
		"Take the probe off", "Run on battery")
	p.must(p.SeeIn("[aria-label=Work]", "Service menu left"))
	p.onward("Service menu left")
	p.enter("Wipe down")
	p.must(p.SeeIn("[aria-label=Work]", "Label attached, owner told"))
	p.onward("Label attached, owner told")
	p.see("What was done and found", "Conforms")
	p.sign()
	p.see("Certificate (PDF)", "Far out, and repeated", "Withdrawn", "Changed on the way")
	p.picture("signed-matters")
	words := p.paper("Certificate (PDF)", "certificate")
	if words == "" {
		return
	}
	for _, said := range []string{"Slipway 4, Merrowby",
		"Accredited by Hallowmere Accreditation Office no. HAO-0113, for what is marked ‡",
		"5 % ‡", "As found: inside at all of 15 points", "1.20 vol% was read first, far out, and does not count",
		"The sampling line was off the adapter", "The breath was uneven", "diluted, 9 % (own)", "exchanged for HG-27",
		"HG-22, 5 % CO₂ in air", "HG-27, 5 % CO₂ in air, spare", "page 1 of", "RC-01, certificate"} {
		assert.Contains(t, tight(words), tight(said))
	}
	for _, outside := range []string{"10 % ‡", "room air ‡", "97 % ‡"} {
		assert.NotContains(t, tight(words), tight(outside), "outside the scope: by range or quantity")
	}
}

// review is a lead's: what is outside stands first, a point is marked, and the run is given back with it.
func review(t *testing.T, s *server) {
	p := openPage(t, s, "Tamsin Orrery")
	p.see("For you to review", "not to be used")
	p.must(p.Press("Review"))
	p.see("Outside ·", "In order:")
	first, err := p.Text("section[aria-label=Work] li")
	require.NoError(t, err)
	assert.Contains(t, first, "Outside.", "the point that is outside is the first that is read")
	p.picture("review")
	p.must(p.Press("Readings, trace, budget"))
	p.see("Where U comes from")
	p.must(p.Press("Close"))
	p.must(p.Press("Give it back …"))
	p.see("Mark at the points below")
	p.must(p.Fill("input[name^='mark-']", "Was the curve of this probe chosen?"))
	here, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	p.must(p.Go(here)) // reloaded in the middle: the mark is kept
	p.must(p.Press("Give it back …"))
	p.must(p.Wait("input[name^='mark-']"))
	mark, err := browser.Eval[string](p.Page, "document.querySelector(\"input[name^='mark-']\").value")
	require.NoError(t, err)
	assert.Equal(t, "Was the curve of this probe chosen?", mark)
	p.loseNetwork()
	p.must(p.Press("Give it back, with what is marked"))
	p.must(p.Fill("textarea", "Read the saturations again."))
	p.must(p.Key("Enter"))
	p.see("1 entry not recorded yet")
	p.must(p.Go(here))
	p.see("Was the curve of this probe chosen?")
	assert.Equal(t, "Read the saturations again.", p.record().Returned)
	p.picture("returned")
}
