package e2e_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"northneedle/e2e/browser"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPlanning(t *testing.T) {
	t.Parallel()
	s := launch(t, t.TempDir(), "demo", "--ports", "0")
	t.Run("what is overdue, and how risky", func(t *testing.T) { overdue(t, s) })
	t.Run("which interval should change, and why", func(t *testing.T) { intervals(t, s) })
	t.Run("the round of a ferry day, and what to pack", func(t *testing.T) { ferryDay(t, s) })
	t.Run("which devices are in doubt, and which verdicts change", func(t *testing.T) { inDoubt(t, s) })
	t.Run("a list comes in, and a procedure is tried", func(t *testing.T) { house(t, s) })
}

// overdue shows a manager what is late, and has an activity put off with a reason.
func overdue(t *testing.T, s *server) {
	p := openPage(t, s, "Odile Marsh")
	p.see("MB-0417", "days overdue", "What to bring")
	p.must(p.Go("/equipment/MB-0417"))
	p.see("What recurs", "Expired on", "every 12 months")
	p.must(p.Press("Re-plan …"))
	p.must(p.Fill("textarea[name=reason]", "with the theatre's closing days"))
	p.must(p.Press("Move the day"))
	p.see("Say until when")
	day := time.Now().AddDate(0, 0, 4)
	_, err := browser.Eval[bool](p.Page, "(e => { e.value = '"+day.Format(time.DateOnly)+"'; e.dispatchEvent(new Event('input')); return true })(document.querySelector('input[name=on]'))")
	require.NoError(t, err)
	p.must(p.Press("Move the day"))
	p.see("Valid until "+day.Format(time.DateOnly), "What became of them")
}

// intervals has a lead look at a model that is found out too often, and accept a shorter one.
func intervals(t *testing.T, s *server) {
	p := openPage(t, s, "Tamsin Orrery")
	p.must(p.Go("/intervals"))
	p.see("Ostrel C2 capnograph", "Shorten to", "found out", "What another interval would mean", "Device-days a year out unnoticed")
	p.must(p.Press("Accept for"))
	p.see("days are in force")
}

// ferryDay plans the next day on which the ferry runs, moves a part by the keyboard, and
// reads what to bring.
func ferryDay(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	day := time.Now().AddDate(0, 0, 1)
	for day.Weekday() != time.Tuesday && day.Weekday() != time.Thursday {
		day = day.AddDate(0, 0, 1)
	}
	p.must(p.Go("/rounds/" + day.Format(time.DateOnly)))
	p.see("Done at", "min of waiting filled", "To bring", "on the way to", "The year ahead")
	assert.True(t, p.Has("Stranna Head") || p.Has("Quillet"), "the islands are in it")
	first := func() string {
		text, err := p.Text("ol[aria-label='The day in order'] li")
		require.NoError(t, err)
		return text
	}
	before := first()
	_, err := browser.Eval[bool](p.Page, "(e => { e.focus(); e.dispatchEvent(new KeyboardEvent('keydown', {key: 'ArrowDown', altKey: true, bubbles: true})); return true })(document.querySelector(\"ol[aria-label='The day in order'] li\"))")
	require.NoError(t, err)
	require.Eventually(t, func() bool { return first() != before }, 10*time.Second, 50*time.Millisecond, "it was moved: %s", before)
	p.must(p.Press("Order it anew"))
	p.see("no plan of these ends before")
}

// inDoubt follows a cylinder that was found to hold less than its certificate says.
func inDoubt(t *testing.T, s *server) {
	p := openPage(t, s, "Tamsin Orrery")
	p.must(p.Go("/look-back"))
	p.see("HG-19 5 % CO₂ in air found out", "the statement changes for", "device-days in use since", "one statement changes", "Runs that rested on it")
	p.must(p.Press("The owner was told so"))
	p.see("told, no answer yet")
	p.must(p.Fill("textarea[name=answer]", "Nothing was decided by it alone; it is out of use."))
	p.must(p.Press("Write it down"))
	p.see("● answered")
	p.must(p.Press("Close it …"))
	p.must(p.Fill("[role=dialog] textarea", "all told"))
	p.must(p.Key("Enter"))
	p.see("has not answered yet")
}

// house brings a list in and tries a procedure.
func house(t *testing.T, s *server) {
	p := openPage(t, s, "Tamsin Orrery")
	p.must(p.Go("/house/lists"))
	p.see("Choose a CSV file")
	list := filepath.Join(t.TempDir(), "devices.csv")
	require.NoError(t, os.WriteFile(list, []byte("tag,maker,model,family,site\nIM-1,Ostrel,C2 capnograph,capnograph,Merrowby General\nMB-0417,Ostrel,C2,capnograph,Merrowby General\n"), 0o600))
	p.must(p.Attach("input[type=file]", list))
	p.see("1 rows can be taken, 1 cannot", "MB-0417 is in the register already")
	p.must(p.Press("Take the 1 rows in"))
	p.see("All of them are in")
	p.must(p.Go("/house/procedures"))
	p.must(p.Press("Breath carbon-monoxide monitor"))
	p.see("As it is written")
	text, err := browser.Eval[string](p.Page, "document.querySelector('textarea[name=yaml]').value")
	require.NoError(t, err)
	require.True(t, strings.Contains(text, "months: 6"))
	_, err = browser.Eval[bool](p.Page, "(e => { e.value = e.value.replace('months: 6', 'months: 4').replace('revision: 2', 'revision: 3'); e.dispatchEvent(new Event('input')); return true })(document.querySelector('textarea[name=yaml]'))")
	require.NoError(t, err)
	p.must(p.Press("Try it"))
	p.see("Played through from start to signature", "months: 4")
	p.must(p.Press("Keep revision 3"))
	p.see("it counts from the next start")
	p.must(p.Go("/house/record"))
	p.must(p.Press("Check the record"))
	p.see("The record holds")
}
