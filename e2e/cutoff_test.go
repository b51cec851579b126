package e2e_test

import (
	"encoding/json"
	"strings"
	"syscall"
	"testing"

	"northneedle/core/runview"
	"northneedle/e2e/browser"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// record is the run on the bench as the server has it.
func (p *page) record() (v runview.View) {
	p.t.Helper()
	text, err := browser.Eval[string](p.Page, "fetch(location.pathname.replace('/bench/', '/api/runs/')).then(r => r.text())")
	require.NoError(p.t, err)
	require.NoError(p.t, json.Unmarshal([]byte(text), &v))
	return v
}

// cutOff does the graver acts of a capnograph's run while the network is away, the server stands still, the page is
// reloaded, or somebody else works on the same run: each is recorded once, or said not to be.
func cutOff(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.startBySearch(tagOf(t, p, "c2 merrowby", 4))
	p.throughToMeasuring()
	p.typed([2]string{"CO₂ as found: room air", "0,04"})

	// A point of one's own, added while the network is away: kept, and added once it is back.
	p.loseNetwork()
	p.must(p.Press("A point of your own"))
	p.must(p.Fill("input[name=own-at]", "9"))
	p.must(p.Fill("input[name=own-label]", "diluted, 9 %"))
	p.must(p.Fill("input[name=own-u]", "0,12"))
	p.must(p.Press("Add it"))
	p.see("1 entry not recorded yet")
	p.picture("cut-own")
	p.must(p.Go(strings.TrimPrefix(at(p), s.base)))
	p.see("diluted, 9 %")
	own := func() (n int) {
		for _, m := range p.record().Measures {
			for _, point := range m.Points {
				if point.Own {
					n++
				}
			}
		}
		return n
	}
	assert.Equal(t, 1, own(), "added once")

	// An exchange while the server stands still.
	p.typed([2]string{"CO₂ as found: 5 %", "5,06"})
	p.see("CO₂ as found: 10 %")
	p.must(p.Press("Bring together"))
	p.see("HG-27 certificate until")
	p.picture("bring-exchange")
	p.must(p.Press("HG-27"))
	p.see("Exchange HG-22 for HG-27 from here on")
	p.picture("exchange-dialog")
	require.NoError(t, s.command.Process.Signal(syscall.SIGSTOP))
	p.must(p.Fill("textarea", "HG-22 ran low"))
	p.must(p.Key("Enter"))
	p.see("1 entry not recorded yet")
	p.picture("cut-exchange")
	require.NoError(t, s.command.Process.Signal(syscall.SIGCONT))
	p.see("exchanged for HG-27")
	exchanged := 0
	for _, r := range p.record().Roles {
		exchanged += len(r.Earlier)
	}
	assert.Equal(t, 1, exchanged, "exchanged once")

	// The room is corrected, with its reason, while another has recorded in the same run meanwhile.
	other := openPage(t, s, "Noor Bexley")
	other.must(other.Go(strings.TrimPrefix(at(p), s.base)))
	other.see("CO₂ as found: 10 %")
	p.must(p.Press("Room conditions"))
	p.see("Why it is corrected")
	p.must(p.Fill("input[name=pressure]", "1012"))
	p.picture("room-correction")
	p.must(p.Press("Record"))
	p.see("Say why it is corrected")
	other.typed([2]string{"CO₂ as found: 10 %", "11,6"})
	other.see("CO₂ as found: diluted, 9 %")
	p.must(p.Fill("input[name=reason]", "The other barometer was read"))
	p.must(p.Press("Record"))
	p.picture("room-corrected")
	require.Eventually(t, func() bool { return p.record().Ambient.PressureHPa == 1012 }, browser.Patience, browser.Patience/100)

	// As found was the set-up's: said by two at once, with a reload before and the network away after.
	other.typed([2]string{"CO₂ as found: diluted, 9 %", "10,2"},
		[2]string{"Breath rate as found: 6", "6"}, [2]string{"Breath rate as found: 12", "12"}, [2]string{"Breath rate as found: 30", "30"})
	other.enter("Close as found")
	other.see("Advised: ")
	other.picture("cut-advice")
	other.must(other.Press("Look for the cause"))
	other.see("Look for the cause, round 1")
	p.must(p.Go(strings.TrimPrefix(at(other), s.base)))
	p.see("Look for the cause, round 1")
	for _, who := range []*page{p, other} {
		who.must(who.Press("Outside the device"))
		who.must(who.Wait("input[name=cause]"))
		_, err := browser.Eval[bool](who.Page, "(document.querySelector('input[name=cause]').click(), true)")
		require.NoError(t, err)
	}
	p.must(p.Fill("input[name=put-right]", "The line was put on the adapter"))
	p.must(p.Go(strings.TrimPrefix(at(other), s.base)))
	p.see("What was put right")
	kept, err := browser.Eval[string](p.Page, "document.querySelector('input[name=put-right]').value + document.querySelector('input[name=cause]').checked")
	require.NoError(t, err)
	assert.Equal(t, "The line was put on the adaptertrue", kept, "a reload keeps what was typed")
	p.loseNetwork()
	p.must(p.Press("Read as found again"))
	p.see("1 entry not recorded yet")
	p.picture("cut-void")
	other.must(other.Fill("input[name=put-right]", "The adapter was seated"))
	other.must(other.Press("Read as found again"))
	other.see("As found again.")
	other.picture("void-again")
	p.must(p.Go(strings.TrimPrefix(at(other), s.base)))
	p.see("Not recorded: as found not valid: CO₂ finding")
	p.picture("void-refused")
	assert.Len(t, p.record().Findings[0].Voided, 1, "of two, one counts; the other is told")
}

func at(p *page) string {
	where, err := browser.Eval[string](p.Page, "location.href")
	require.NoError(p.t, err)
	return where
}
