package e2e_test

import (
	"archive/zip"
	"bufio"
	"fmt"
	"image/png"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"northneedle/e2e/browser"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The passwords of those who begin a workshop, as they choose them.
const (
	bramsPassword  = "moss lantern harbour"
	tamsinPassword = "kettle orchard violin"
	idrisPassword  = "copper meadow ferry"
)

// A workshop lives on its own: from an empty folder to two accounts, the key, a register of 300 devices with their history, an
// instrument and a procedure of an own family, a signed certificate with the logo, a label that leads to its device, a plan
// for next week, and what an inspector asks to see.
func TestAWorkshopBeginsOnAnEmptyFolder(t *testing.T) {
	t.Parallel()
	s := launch(t, t.TempDir(), "serve")
	p := beginsWorkshop(t, s)
	takesListsIn(t, p)
	connectsProbe(t, p)
	printsOnOwnPaper(t, p)
	idris := registersTechnician(t, s)
	writesProcedure(t, idris)
	releasesProcedure(t, p)
	run := verifiesIncubator(t, idris)
	certificateHasLogo(t, idris, run)
	labelLeadsToDevice(t, p, s)
	plansNextWeek(t, p)
	packForInspector(t, p)
	require.Empty(t, append(p.Troubles(), idris.Troubles()...))
	again := openPage(t, s, "")
	again.must(again.Go("/"))
	again.see("Sign in")
}

// beginsWorkshop registers the first two, with the code that the server said, and has the key exported.
func beginsWorkshop(t *testing.T, s *server) *page {
	t.Helper()
	said := regexp.MustCompile(`code=(\w+)`)
	require.Eventually(t, func() bool { return said.MatchString(s.out.String()) }, browser.Patience, browser.Patience/100)
	p := openPage(t, s, "")
	p.must(p.Go("/"))
	p.see("Nothing is recorded here yet", "One human may hold both")
	for field, text := range map[string]string{"lab": "Merrowby workshop", "code": "nothing",
		"administrator-name": "Bram Ostley", "administrator-password": bramsPassword,
		"lead-name": "Tamsin Orrery", "lead-password": tamsinPassword} {
		p.must(p.Fill("input[name="+field+"]", text))
	}
	p.must(p.Press("Begin, and sign in"))
	p.see("not the code that the server said")
	p.must(p.Fill("input[name=code]", said.FindStringSubmatch(s.out.String())[1]))
	p.must(p.Press("Begin, and sign in"))
	p.see("14 of 14 still open", "1 of 14", "The key")
	p.must(p.Fill("input[name=key-passphrase]", "a safe far away"))
	p.must(p.Press("Export the key"))
	p.see("The key is in the file", "13 of 14 still open", "● Done.")
	p.must(p.Press("On to Copies"))
	p.see("2 of 14")
	p.must(p.Press("We do without"))
	p.see("3 of 14", "12 of 14 still open")
	p.must(p.Press("The rest later"))
	p.see("Still open in this workshop: 12 of 14")
	return p
}

// tick clicks a radio button or a box.
func (p *page) tick(selector string) {
	p.t.Helper()
	_, err := browser.Eval[bool](p.Page, fmt.Sprintf("(document.querySelector(%q).click(), true)", selector))
	require.NoError(p.t, err)
}

// takesIn takes a list of a kind in.
func (p *page) takesIn(kind, text string, rows int) {
	p.t.Helper()
	file := filepath.Join(p.t.TempDir(), kind+".csv")
	require.NoError(p.t, os.WriteFile(file, []byte(text), 0o600))
	p.must(p.Go("/house/lists"))
	p.see("Bring in")
	p.tick("input[value=" + kind + "]")
	p.must(p.Attach("input[type=file]", file))
	p.see(fmt.Sprintf("%d rows can be taken", rows))
	p.must(p.Press(fmt.Sprintf("Take the %d rows in", rows)))
	p.see("All of them are in")
}

// takesListsIn takes in 300 devices, what was done to some of them before, and two references.
func takesListsIn(t *testing.T, p *page) {
	var devices, before strings.Builder
	devices.WriteString("tag,serial,maker,model,family,site,place,last_done,months,status\n")
	before.WriteString("tag,on,title,result\n")
	for i := range 299 {
		fmt.Fprintf(&devices,
			"NN-%03d,S%05d,Ostrel,C2 capnograph,capnograph,Merrowby General,Ward %d,2026-0%d-10,12,in use\n", i, i, i%9, 1+i%9)
		fmt.Fprintf(&before, "NN-%03d,2025-0%d-10,Verification,conforms\n", i, 1+i%9)
	}
	devices.WriteString("NN-900,K1,Kestmoor,I3 incubator,incubator,Merrowby General,Ward 3,,,in use\n")
	p.takesIn("assets", devices.String(), 300)
	p.takesIn("histories", before.String(), 299)
	p.takesIn("standards", `tag,name,kind,certificate,issuer,certified,due,quantity,from,to,unit,u,k
TP-1,Probe of the bench,thermometer,C-1,Calder Metrology,`+time.Now().AddDate(0, -1, 0).Format(time.DateOnly)+","+
		time.Now().AddDate(1, 0, 0).Format(time.DateOnly)+`,temperature,20,50,Cel,0.05,2
RC-1,Room station,barometer,C-2,Calder Metrology,`+time.Now().AddDate(0, -1, 0).Format(time.DateOnly)+","+
		time.Now().AddDate(1, 0, 0).Format(time.DateOnly)+",pressure,900,1100,hPa,1,2\n", 2)
	p.must(p.Go("/"))
	p.see("Still open in this workshop: 9 of 14", "there is none yet for incubator", "NN-")
}

// connectsProbe connects the simulated probe as an instrument of the workshop's own, and reads it.
func connectsProbe(t *testing.T, p *page) {
	command := exec.Command(binary, "standins", "--ports", "0")
	out, err := command.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, command.Start())
	t.Cleanup(func() {
		assert.NoError(t, command.Process.Kill())
		_ = command.Wait() // it was killed
	})
	address := ""
	for lines := bufio.NewScanner(out); address == "" && lines.Scan(); {
		if found := regexp.MustCompile(`TP-1\s+tcp:(\S+)`).FindStringSubmatch(lines.Text()); found != nil {
			address = found[1]
		}
	}
	require.NotEmpty(t, address)
	p.must(p.Go("/references/instruments"))
	p.must(p.Press("Connect an instrument"))
	p.must(p.Fill("[role=dialog] input[name=name]", "Probe at the bench"))
	p.must(p.Fill("[role=dialog] input[name=belongs]", "TP-1"))
	p.must(p.Choose("[role=dialog] select[name=profile]", "Probe in a warm chamber (stand-in)"))
	p.must(p.Choose("[role=dialog] select[name=transport]", "TCP, also through a serial-to-network box"))
	p.must(p.Fill("[role=dialog] input[name=address]", address))
	p.must(p.Press("Connect it"))
	p.see("Probe at the bench", "Warm chamber simulated")
}

// printsOnOwnPaper gives certificates an address and a logo, and labels the server's address.
func printsOnOwnPaper(t *testing.T, p *page) {
	p.must(p.Go("/house/papers"))
	p.must(p.Fill("textarea[name=address]", "Slipway 4, Merrowby"))
	p.must(p.Attach("input[name=logo]", logo(t)))
	p.see("The logo is kept.")
	p.must(p.Press("Keep"))
	p.see("Kept. Runs opened from now on carry it.")
	p.must(p.Go("/house/hands"))
	p.must(p.Fill("input[name=address]", "https://needle.example:8360"))
	p.must(p.Press("Keep"))
	p.see("Kept")
}

// signsIn signs somebody in, whatever they see first.
func (p *page) signsIn(name, password string) {
	p.t.Helper()
	p.must(p.Fill("input[name=name]", name))
	p.must(p.Fill("input[name=password]", password))
	p.must(p.Key("Enter"))
}

// registersTechnician has the administrator register a technician, who takes a password of his own.
func registersTechnician(t *testing.T, s *server) *page {
	bram := openPage(t, s, "")
	bram.must(bram.Go("/"))
	bram.signsIn("Bram Ostley", bramsPassword)
	bram.see("May sign in")
	bram.must(bram.Fill("input[name=name]", "Idris Vail"))
	bram.must(bram.Choose("select[name=role]", "technician"))
	bram.must(bram.Fill("input[name=password]", "given over a desk"))
	bram.must(bram.Press("Register"))
	bram.see("Idris Vail may sign in")

	p := openPage(t, s, "")
	p.must(p.Go("/"))
	p.signsIn("Idris Vail", "given over a desk")
	p.see("a password of your own")
	p.must(p.Fill("input[name=old]", "given over a desk"))
	p.must(p.Fill("input[name=new]", idrisPassword))
	p.must(p.Fill("input[name=again]", idrisPassword))
	p.must(p.Key("Enter"))
	p.see("What to bring")
	return p
}

// writesProcedure has a technician draft a procedure of a family that nobody knows: from a template, as text with a mistake that is
// named while he types, mended in the form, and tried.
func writesProcedure(t *testing.T, p *page) {
	text, err := os.ReadFile("testdata/incubator.yaml")
	require.NoError(t, err)
	p.must(p.Go("/house/procedures"))
	p.must(p.Press("Write one of your own"))
	p.must(p.Fill("input[name=title]", "Incubator, temperature"))
	p.tick("[role=dialog] input[type=radio]")
	p.must(p.Press("Begin the draft"))
	p.see("Draft, not for use", "It can be read: incubator-temperature")
	p.must(p.Paste("textarea[name=yaml]", string(text)))
	p.see("1 thing to mend", "conpare")
	p.must(p.Press("line 23"))
	p.must(p.Choose("[data-field='steps[2].method']", "delivered: what a reference reads of what the device gives, beside what the device was set to"))
	p.see("It can be read: incubator-temperature, revision 1, 1 point")
	p.must(p.Fill("input[name=why]", "Incubators were never compared here."))
	p.must(p.Press("Try it"))
	p.see("Played through from start to signature")
	p.must(p.Press("Keep the draft"))
	// It is not under way any more, and nothing is left to keep.
	p.must(p.Wait("main button.btn:not(.btn-main, :disabled) + button.btn-main:disabled"))
	p.see("You wrote in it: a lead who did not reads it and releases it")
	p.picture("own-procedure")
}

// releasesProcedure has the lead find the draft on Today, read it and release it.
func releasesProcedure(t *testing.T, p *page) {
	p.must(p.Go("/"))
	p.see("Procedures to read and release")
	p.must(p.Press("Incubator, temperature"))
	p.see("Incubators were never compared here.", "It can be read")
	p.must(p.Press("Release it …"))
	p.must(p.Fill("input[name=secret]", tamsinPassword))
	p.must(p.Press("Approve it for use"))
	p.see("released by Tamsin Orrery: in use since")
}

// verifiesIncubator makes a run by that procedure, read by that instrument, and signs it.
func verifiesIncubator(t *testing.T, p *page) (run string) {
	p.must(p.Go("/"))
	p.startBySearch("NN-900")
	p.enter("Take the first that fits", "I have read them", "Empty, clean, lid and seals", "Probe in the middle")
	p.see("Temperature as found: set point")
	p.closeWhenRead("as found")
	p.enter("Advised: leave as it is", "Take the probe out")
	p.see("Conforms", "What was done and found")
	p.must(p.Fill("input[name=secret]", idrisPassword))
	p.must(p.Press("Sign this run"))
	p.see("Next due", "Certificate (PDF)")
	return p.record().ID
}

// certificateHasLogo reads the certificate: whose it is, what was compared with what, and the picture on it.
func certificateHasLogo(t *testing.T, p *page, run string) {
	file := p.keep("/api/runs/"+run+"/certificate.pdf", "certificate.pdf")
	words, err := exec.Command("pdftotext", "-layout", file, "-").Output()
	require.NoError(t, err)
	for _, text := range []string{"Slipway 4, Merrowby", "NN-900", "Incubator, temperature", "TP-1", "Idris Vail"} {
		assert.Contains(t, tight(string(words)), tight(text))
	}
	pictures, err := exec.Command("pdfimages", "-list", file).Output()
	require.NoError(t, err)
	assert.Regexp(t, `\b240 +90\b`, string(pictures), "the logo")
}

// labelLeadsToDevice prints the label of the device, reads its code as a scanner would, and goes where it says.
func labelLeadsToDevice(t *testing.T, p *page, s *server) {
	pdf := p.keep("/api/labels.pdf?tag=NN-900", "label.pdf")
	picture := strings.TrimSuffix(pdf, ".pdf")
	said, err := exec.Command("pdftoppm", "-png", "-r", "200", "-singlefile", pdf, picture).CombinedOutput()
	require.NoError(t, err, string(said))
	rendered, err := os.Open(picture + ".png")
	require.NoError(t, err)
	defer rendered.Close()
	image, err := png.Decode(rendered)
	require.NoError(t, err)
	bitmap, err := gozxing.NewBinaryBitmapFromImage(image)
	require.NoError(t, err)
	code, err := qrcode.NewQRCodeReader().Decode(bitmap, nil)
	require.NoError(t, err)
	path, ours := strings.CutPrefix(code.GetText(), "https://needle.example:8360")
	require.True(t, ours, code.GetText())
	p.must(p.Go(path))
	p.see("NN-900", "Kestmoor", "Incubator, temperature")
}

// plansNextWeek plans a day of next week.
func plansNextWeek(t *testing.T, p *page) {
	day := time.Now().AddDate(0, 0, 7)
	for day.Weekday() == time.Saturday || day.Weekday() == time.Sunday {
		day = day.AddDate(0, 0, 1)
	}
	p.must(p.Go("/rounds/" + day.Format(time.DateOnly)))
	p.see("Done at", "To bring", "NN-")
}

// packForInspector has everything put together that an inspector asks for.
func packForInspector(t *testing.T, p *page) {
	p.must(p.Go("/reports"))
	p.must(p.Press("For an inspector"))
	p.must(p.Press("Put it together"))
	p.see("Save the pack (ZIP)")
	link, err := browser.Eval[string](p.Page, "document.querySelector('[role=dialog] a[href]').getAttribute('href')")
	require.NoError(t, err)
	pack, err := zip.OpenReader(p.keep(link, "pack.zip"))
	require.NoError(t, err)
	defer pack.Close()
	names := []string{}
	for _, f := range pack.File {
		names = append(names, f.Name)
	}
	all := strings.Join(names, " ")
	for _, want := range []string{"index.pdf", "sha256.txt", "procedures/incubator-temperature-revision-1", "NN-900"} {
		assert.Contains(t, all, want)
	}
}
