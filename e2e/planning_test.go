package e2e_test

import (
	"bytes"
	"encoding/base64"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"northneedle/e2e/browser"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPlanning(t *testing.T) {
	t.Parallel()
	s := demo(t, 1)
	t.Run("what is overdue, and how risky", func(t *testing.T) { overdue(t, s) })
	t.Run("which interval should change, and why", func(t *testing.T) { intervals(t, s) })
	t.Run("the round of a ferry day, and what to pack", func(t *testing.T) { ferryDay(t, s) })
	t.Run("which devices are in doubt, and which verdicts change", func(t *testing.T) { inDoubt(t, s) })
	t.Run("a list comes in, and the record is checked", func(t *testing.T) { house(t, s) })
	t.Run("an owner is told by mail, and answers on a phone without an account", func(t *testing.T) { tellsOwner(t, s) })
	t.Run("what the year came to", func(t *testing.T) { yearly(t, s) })
	t.Run("a page is locked over the bench, and another countersigns", func(t *testing.T) { lockedAndReviewed(t, s) })
	t.Run("an administrator keeps the people, and reads what was tried", func(t *testing.T) { administers(t, s) })
	t.Run("a certificate is checked, genuine and altered", func(t *testing.T) { checkPaper(t, s) })
	t.Run("a certificate is issued anew, the run read back, a copy put back", func(t *testing.T) { putBack(t, s) })
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
	p.must(p.Paste("input[name=on]", day.Format(time.DateOnly)))
	p.must(p.Press("Move the day"))
	p.see("Valid until "+day.Format(time.DateOnly), "What became of them")
}

// intervals has a lead look at a model that is found out too often, and accept a shorter one.
func intervals(t *testing.T, s *server) {
	p := openPage(t, s, "Tamsin Orrery")
	p.must(p.Go("/intervals"))
	p.see("Ostrel C2 capnograph", "Shorten to", "found out", "What another interval would mean",
		"Device-days a year out unnoticed")
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
	_, err := browser.Eval[bool](p.Page,
		"(e => { e.focus(); e.dispatchEvent(new KeyboardEvent('keydown', {key: 'ArrowDown', altKey: true, bubbles: true})); return true })(document.querySelector(\"ol[aria-label='The day in order'] li\"))")
	require.NoError(t, err)
	require.Eventually(t, func() bool { return first() != before }, 10*time.Second, 50*time.Millisecond,
		"it was moved: %s", before)
	p.must(p.Press("Order it anew"))
	p.see("no plan of these ends before")
}

// inDoubt follows a cylinder that was found to hold less than its certificate says.
func inDoubt(t *testing.T, s *server) {
	p := openPage(t, s, "Tamsin Orrery")
	p.must(p.Go("/look-back"))
	p.see("HG-19 5 % CO₂ in air found out", "the statement changes for", "device-days in use since",
		"one statement changes", "Runs that rested on it")
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

// house brings a list in and has the record checked.
func house(t *testing.T, s *server) {
	p := openPage(t, s, "Tamsin Orrery")
	p.must(p.Go("/house/lists"))
	p.see("Choose a list")
	list := filepath.Join(t.TempDir(), "devices.csv")
	require.NoError(t,
		os.WriteFile(list,
			[]byte("tag,maker,model,family,site\nIM-1,Ostrel,C2 capnograph,capnograph,Merrowby General\nMB-0417,Ostrel,C2,capnograph,Merrowby General\n"), 0o600))
	p.must(p.Attach("input[type=file]", list))
	p.see("1 row can be taken, 1 cannot", "MB-0417 is in the register already")
	p.must(p.Press("Take the 1 row in"))
	p.see("All of them are in")
	p.must(p.Go("/house/record"))
	p.must(p.Press("Check the record"))
	p.see("The record holds")
}

// yearly shows a manager what the work of a year came to, and of a month; then a device's
// own record says whether calibrating it is worth it.
func yearly(t *testing.T, s *server) {
	p := openPage(t, s, "Odile Marsh")
	p.must(p.Go("/reports"))
	p.see("Done on time", "Overdue by risk, now", "As found, by model", "The weakest:", "Ostrel C2 capnograph",
		"Gas used and lost", "about", "hours of hands")
	runs := func() string {
		text, err := browser.Eval[string](p.Page,
			"[...document.querySelectorAll('dl div')].find(d => d.textContent.includes('Work')).querySelector('dd').textContent")
		require.NoError(t, err)
		return text
	}
	year := runs()
	p.must(p.Press("a month"))
	require.Eventually(t, func() bool { return runs() != year }, 10*time.Second, 50*time.Millisecond,
		"a month holds less than a year")
	p.must(p.Go("/workings/economics?asset=MB-0516"))
	p.see("from its record", "It is calibrated every 365 days", "times the reference's U", "a year.")
}

// signedRunOf is a signed run of a device.
func (p *page) signedRunOf(tag string) string {
	p.t.Helper()
	run, err := browser.Eval[string](p.Page,
		"fetch('/api/assets/"+tag+"').then(r => r.json()).then(a => a.history.find(h => h.status === 'signed').id)")
	p.must(err)
	return run
}

// keep fetches a file as the page's links would, into a folder of the test's.
func (p *page) keep(path, name string) string { return p.fetched("'"+path+"'", name) }

// keepPosted is the same of a file that is asked for by a POST.
func (p *page) keepPosted(path, name string) string {
	return p.fetched("'"+path+"', {method: 'POST', headers: {'Content-Type': 'application/json'}, body: '{}'}", name)
}

func (p *page) fetched(request, name string) string {
	p.t.Helper()
	text, err := browser.Eval[string](p.Page, "fetch("+request+
		").then(r => r.blob()).then(b => new Promise(done => { const f = new FileReader(); f.onload = () => done(f.result.split(',')[1]); f.readAsDataURL(b) }))")
	p.must(err)
	body, err := base64.StdEncoding.DecodeString(text)
	p.must(err)
	file := filepath.Join(p.t.TempDir(), name)
	p.must(os.WriteFile(file, body, 0o600))
	return file
}

// lockedAndReviewed locks a page over a run with something half typed, and has a failed run countersigned by a second person.
func lockedAndReviewed(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	run, err := browser.Eval[string](p.Page,
		"fetch('/api/bench').then(r => r.json()).then(b => b.dock.find(r => r.tag === 'MB-0462').id)")
	require.NoError(t, err)
	p.must(p.Go("/bench/" + run))
	p.see("MB-0462", "Corners")
	p.must(p.Press("I. Vail"))
	p.must(p.Press("Lock the page"))
	p.see("Locked: Idris Vail", "What you were doing is still there")
	p.picture("locked")
	status, err := browser.Eval[int](p.Page, "fetch('/api/runs/"+run+"').then(r => r.status)")
	require.NoError(t, err)
	assert.Equal(t, 401, status, "it is locked at the server, not on the page alone")
	p.must(p.Fill("input[name=password]", "not the password"))
	p.must(p.Press("Go on"))
	p.see("do not go together")
	p.must(p.Fill("input[name=password]", workshop.DemoPassword))
	p.must(p.Press("Go on"))
	p.must(p.Gone("Locked: Idris Vail"))
	p.see("MB-0462", "Corners")

	lead := openPage(t, s, "Tamsin Orrery")
	review, err := browser.Eval[string](lead.Page, "fetch('/api/today').then(r => r.json()).then(t => t.review[0].id)")
	require.NoError(t, err)
	p.must(p.Go("/bench/" + review))
	p.see("Signed, waiting for review")
	assert.False(t, p.Has("Countersign …"), "a technician who is not asked to")
	lead.must(lead.Go("/bench/" + review))
	lead.must(lead.Press("Countersign …"))
	lead.must(lead.Press("Countersign"))
	lead.see("asks for your password or PIN once more")
	lead.must(lead.Fill("input[name=secret]", "not the password"))
	lead.must(lead.Press("Countersign"))
	lead.see("Nothing was recorded")
	lead.must(lead.Fill("input[name=secret]", workshop.DemoPassword))
	lead.picture("countersign")
	lead.must(lead.Press("Countersign"))
	lead.see("countersigned by Tamsin Orrery")
}

// administers has an administrator register somebody, who sees nothing of the work, and reads the log of security; a
// lead does not.
func administers(t *testing.T, s *server) {
	p := openPage(t, s, "")
	p.must(p.Go("/"))
	p.must(p.Fill("input[name=name]", "Bram Ostley"))
	p.must(p.Fill("input[name=password]", workshop.DemoPassword))
	p.must(p.Key("Enter"))
	p.see("May sign in", "Idris Vail")
	assert.False(t, p.Has("Equipment"), "nothing of the work")
	p.must(p.Fill("input[name=name]", "Wren Halloway"))
	p.must(p.Fill("input[name=password]", "given over a desk"))
	p.must(p.Press("Register"))
	p.see("Wren Halloway may sign in")
	p.must(p.Go("/equipment"))
	p.see("May sign in")
	p.must(p.Press("Security"))
	p.see("What was tried, and who may do what", "person added")
	p.picture("security")
	lead := openPage(t, s, "Tamsin Orrery")
	lead.must(lead.Go("/house/people"))
	lead.see("An administrator registers people")
	assert.False(t, lead.Has("Register"))
}

// checkPaper drops a certificate on the page as it was issued, and with one figure altered; and has both checked on
// another computer, with nothing but the public keys.
func checkPaper(t *testing.T, s *server) {
	p := openPage(t, s, "Noor Bexley")
	p.must(p.Go("/house/record"))
	p.see("Check a paper")
	genuine := p.keep("/api/runs/"+p.signedRunOf("MB-0516")+"/certificate.pdf", "certificate.pdf")
	p.must(p.Attach("input[name=paper]", genuine))
	p.see("Genuine, as it was issued", "It stands.", "MB-0516-")
	p.picture("check-paper")
	laid, altered := filepath.Join(t.TempDir(), "laid.pdf"), filepath.Join(t.TempDir(), "altered.pdf")
	require.NoError(t, exec.Command("qpdf", "--qdf", "--object-streams=disable", "--normalize-content=n", genuine, laid).Run())
	text, err := os.ReadFile(laid)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(altered, bytes.Replace(text, []byte(`"serial":"`), []byte(`"serIal":"`), 1), 0o600))
	p.must(p.Attach("input[name=paper]", altered))
	p.see("Changed after it was issued", "In the data inside")
	p.must(p.Attach("input[name=paper]", laid))
	p.see("Not the file that was issued")

	keys, replaced := p.keep("/api/papers/public-keys.json", "keys.json"), p.keep("/api/papers/replaced.jws", "replaced.jws")
	out, ok := told(t, "", "verify-paper", genuine, "--public", keys, "--replaced", replaced)
	assert.True(t, ok, out)
	assert.Contains(t, out, "GENUINE, as issued by")
	assert.Contains(t, out, "stands")
	out, ok = told(t, "", "verify-paper", altered, "--public", keys)
	assert.False(t, ok)
	assert.Contains(t, out, "ALTERED")
}

// putBack corrects the words of a certificate, takes a copy and a run out, changes
// something, and puts the copy back.
func putBack(t *testing.T, s *server) {
	p := openPage(t, s, "Tamsin Orrery")
	p.must(p.Go("/equipment/MB-0516"))
	p.see("History (PDF)")
	run, keep := p.signedRunOf("MB-0516"), p.keep
	backup := p.keepPosted("/api/house/backup", "copy.backup")
	p.must(p.Go("/bench/" + run))
	p.must(p.Press("Issue the certificate anew"))
	p.must(p.Press("Issue revision 2"))
	p.see("asks for your password or PIN once more")
	p.must(p.Fill("input[name=secret]", workshop.DemoPassword))
	p.must(p.Press("Issue revision 2"))
	p.see("Say why the certificate is issued anew")
	p.must(p.Fill("input[name=serial]", "SN-204-C"))
	p.must(p.Fill("textarea[name=reason]", "the serial was misread"))
	p.must(p.Fill("input[name=secret]", workshop.DemoPassword))
	p.must(p.Press("Issue revision 2"))
	p.see("as it was signed", "the serial was misread: serial SN-204-C, it said")

	p.must(p.Go("/house/lists"))
	p.see("Read a whole run back")
	p.must(p.Attach("input[name=run]", keep("/api/runs/"+run+"/record.json", "run.json")))
	p.see("It holds:", "It is in this record, event for event.")
	spoiled := filepath.Join(t.TempDir(), "spoiled.json")
	text, err := os.ReadFile(keep("/api/runs/"+run+"/record.json", "run.json"))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(spoiled, []byte(strings.ReplaceAll(string(text), "SN-204-C", "SN-204-D")), 0o600))
	p.must(p.Attach("input[name=run]", spoiled))
	p.see("It does not hold.", "its content was changed")

	p.must(p.Go("/house/record"))
	p.see("Put a copy back")
	p.must(p.Attach("input[name=copy]", backup))
	p.see("The copy holds:", "I have told those who are measuring")
	_, err = browser.Eval[bool](p.Page, "(document.querySelector('input[name=sure]').click(), true)")
	require.NoError(t, err)
	p.must(p.Press("Put this copy in the place of the record"))
	p.see("The copy is in its place", "kept as ledger.db.")
	p.must(p.Go("/bench/" + run))
	p.see("Certificate (PDF)")
	assert.False(t, p.Has("the serial was misread"), "the copy was made before")
	p.must(p.Go("/house/record"))
	p.must(p.Press("Check the record"))
	p.see("The record holds")
}

// tellsOwner sends a notice by mail, and answers it and reports a fault by the link alone, on a phone.
func tellsOwner(t *testing.T, s *server) {
	p := openPage(t, s, "Tamsin Orrery")
	p.must(p.Go("/house/told"))
	p.see("Petrel, purser", "Copy the link")
	link, err := browser.Eval[string](p.Page, `fetch('/api/telling').then(r => r.json()).then(t => t.contacts.find(c => c.name.startsWith('Petrel')).link)`)
	require.NoError(t, err)
	p.must(p.Go("/look-back"))
	p.see("HG-19")
	p.must(p.Press("Send it to purser@petrel.example"))
	p.see("is on its way")
	for wait := time.Now().Add(time.Minute); ; time.Sleep(time.Second) { // the outbox is looked into now and then
		told, err := browser.Eval[bool](p.Page, `fetch('/api/telling').then(r => r.json()).then(t => t.letters.some(l => l.kind === 'notice' && l.sent))`)
		require.NoError(t, err)
		if told {
			break
		}
		require.True(t, time.Now().Before(wait), "the mail was not sent")
	}

	owner := openPage(t, s, "")
	owner.must(owner.Go(link))
	owner.see("Petrel, purser", "May I use it?", "1 without an answer")
	beyond, err := owner.Narrow(390, 844)
	require.NoError(t, err)
	require.Zero(t, beyond, "nothing sticks out of a phone")
	owner.must(owner.Fill("textarea[name=answer]", "Nobody was treated by it."))
	owner.must(owner.Fill("input[name=answerer]", "Ada Thorne"))
	owner.must(owner.Press("Send the answer"))
	owner.see("● answered")
	owner.must(owner.Press("Something is wrong"))
	owner.must(owner.Fill("textarea[name=what]", "It shuts itself off"))
	owner.must(owner.Press("Report it"))
	owner.see("The workshop knows of it", "A fault is reported: It shuts itself off (Ada Thorne")
	require.Empty(t, owner.Troubles())
	p.must(p.Go("/look-back"))
	p.see("● answered")
}
