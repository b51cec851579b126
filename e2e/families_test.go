package e2e_test

import (
	"fmt"
	"math"
	"testing"
	"time"

	"northneedle/core/runview"
	"northneedle/e2e/browser"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// startTest goes from the search field to a run of one test, by the label of its button.
func (p *page) startTest(tag, button string) {
	p.t.Helper()
	p.must(p.Key("/"))
	p.must(p.Fill("#search", tag))
	p.must(p.Key("Enter"))
	p.see(tag, "What recurs")
	p.must(p.Wait(`[aria-label="` + button + `"]`))
	_, err := browser.Eval[bool](p.Page, `document.querySelector('[aria-label="`+button+`"]').click() ?? true`)
	require.NoError(p.t, err)
	p.see("Each reference is checked")
}

// twoPointTest calibrates a test of a chemistry analyser with water, calibrator and a second reagent: first with a lot typed
// wrongly, and with the calibrator of another lot; then as it should be.
func twoPointTest(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	tag := tagOf(t, p, "k4 chemistry merrowby", 0)
	p.startTest(tag, "Calibrate uric acid")
	p.enter("Take the first that fits", "I have read them", "Self-test passed", "Start the timer")
	p.see("Lot of the cuvettes by their barcode")
	p.must(p.Fill("input[name=barcode_lot]", "UA-0925"))
	p.must(p.Fill("input[name=barcode_expiry]", roleExpiry(t, p, "cuvettes")))
	p.must(p.Fill("input[name=lot]", "K-2507"))
	p.must(p.Fill("input[name=expiry]", roleExpiry(t, p, "calibrator")))
	p.must(p.Fill("input[name=concentration]", "402"))
	p.must(p.Press("Record"))
	p.see("K-2507 was typed, the register holds K-2607")
	p.picture("chemistry-label")
	p.must(p.Fill("input[name=lot]", "K-2607"))
	p.must(p.Fill("input[name=concentration]", "6.76"))
	p.must(p.Press("Record"))
	p.see("6.76 µmol/L was typed, the register holds 402")
	p.must(p.Fill("input[name=concentration]", "402"))
	p.must(p.Press("Record"))
	p.enter("One for water, one for the calibrator", "Start the timer")
	read := func(measure string, cuvettes ...string) {
		for i, cuvette := range cuvettes {
			p.moved(cuvette)
			p.takeSteady(measure + " as found: " + []string{"water", "calibrator"}[i])
		}
	}
	p.must(p.SeeNow("Cuvette for water into the chamber", 4*time.Minute))
	p.simulate("calibrator of another lot")
	read("Reagent blank", "Cuvette for water into the chamber", "Cuvette for the calibrator into the chamber")
	p.enter("Water into one, calibrator into the other")
	read("With the first reagent", "Cuvette with water into the chamber", "Cuvette with calibrator into the chamber")
	p.enter("Second reagent into both", "Start the timer")
	read("With the second reagent", "Cuvette with water into the chamber", "Cuvette with calibrator into the chamber")
	p.enter("This closes: Second reagent running", "Close as found")
	p.see("over the water's", "has jumped since the last calibration", "Advised: look for the cause")
	p.picture("chemistry-jump")
	v := p.record()
	require.NotNil(t, v.Findings[0].Seen)
	assert.Equal(t, "jump", v.Findings[0].Seen.Shape)
	assert.NotEmpty(t, v.Findings[0].Seen.Figures)
}

// electricalSafety tests a ventilator whose cable ages: every limit is kept, and the earth has jumped since its first test.
func electricalSafety(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.must(p.Key("/"))
	p.must(p.Fill("#search", tagOf(t, p, "v7 merrowby", 0)))
	p.must(p.Key("Enter"))
	p.see("What recurs")
	p.must(p.Press("Electrical safety in service"))
	p.enter("Take the first that fits", "I have read them")
	for field, words := range map[string]string{"class": "I: protective earth",
		"part": "type CF: floating, for the heart", "parts": "one",
		"installed": "with a plug", "cable": "fixed to the device", "method": "direct, device insulated and running",
		"insulation": "not used: by the manual, or the lab's choice"} {
		p.must(p.Choose("select[name="+field+"]", words))
	}
	p.must(p.Press("Record"))
	p.enter("Nobody on the device", "Cable, plug and strain relief", "Casing, fuses and markings",
		"Accessories and applied-part leads",
		"Its own mains cable into the tester")
	p.must(p.SeeNow("Tip on bare metal of the casing", 90*time.Second))
	p.simulate("cable that ages")
	p.moved("Tip on bare metal of the casing")
	p.see("This device on", "≤ 300")
	p.picture("electrical-earth")
	p.takeSteady("Protective earth as found: casing to plug", "Equipment leakage as found: device")
	p.moved("Applied part 1 on the tester")
	p.takeSteady("Applied-part leakage as found: part 1")
	p.enter("Close as found")
	p.see("keeps its limit, and has jumped", "at its first good test", "Advised: look for the cause")
	p.picture("electrical-jump")
	v := p.record()
	assert.NotEmpty(t, v.Measures[0].Points[0].Found.Jump)
	assert.True(t, v.Measures[0].Points[0].Found.Pass)
	p.must(p.Press("Leave as it is"))
	p.must(p.Fill("textarea", "Another cable is ordered; the limit is kept."))
	p.must(p.Press("Decide so"))
	p.enter("Functional check", "This closes: Device on the safety tester", "Label with the next due date attached")
	p.see("Every point conforms as found")
	p.sign()
	p.see("Certificate (PDF)")
	said := p.paper("Certificate (PDF)", "electrical")
	assert.Contains(t, tight(said), tight("A finding inside the limits, Protective earth casing to plug"))
	assert.Contains(t, tight(said), tight("Before: 110 on"))
	assert.Contains(t, tight(said), tight(", a jump: casing to plug"))
	assert.Contains(t, tight(said), tight("Another cable is ordered"))
}

// pumpByHand weighs two stages without the link: W1, W2 and W3 are typed as read. The page is reloaded while the time runs,
// and the first stage is disturbed and started again.
func pumpByHand(t *testing.T, s *server) {
	p := openPage(t, s, "Noor Bexley")
	p.startBySearch(tagOf(t, p, "p1 merrowby", 1))
	p.enter("Take the first that fits", "I have read them", "Does not apply", "The named set, straight in its channel")
	p.see("One gram is not one millilitre")
	for field, text := range map[string]string{"administration_set": "Marrable 20 drops/mL, lot 4471",
		"water_temperature": "22", "evaporation": "0,02"} {
		p.must(p.Fill("input[name="+field+"]", text))
	}
	p.must(p.Press("Record"))
	p.recordRoom()
	p.enter("Then the tip over the cup")
	p.see("Stage as found: 1, 25 mL/h")
	p.must(p.Press("Weigh by hand"))
	p.see("Weight of the cup before", "together with the start of the pump")
	p.picture("stage-before")
	p.must(p.Fill("input[name=before]", "12,34"))
	p.must(p.Key("Enter"))
	p.see("Runs since")
	where, err := browser.Eval[string](p.Page, "location.pathname")
	require.NoError(t, err)
	p.must(p.Go(where))
	p.see("Stage as found: 1, 25 mL/h", "Runs since")
	p.picture("stage-running")
	p.must(p.Press("Disturbed: start again"))
	p.must(p.Press("The cup or the table was touched"))
	p.must(p.Press("Start again"))
	p.see("Weigh anew")
	p.must(p.Fill("input[name=before]", "12,80"))
	p.must(p.Key("Enter"))
	p.see("Runs since")
	stage := func(before, perHour float64) (after float64) {
		p.must(p.Gone("with its stop,"))
		p.must(p.Press("Stop the time"))
		p.see("The pump stands")
		v := p.record()
		for _, point := range v.Measures[0].Points {
			if point.Stage != nil && point.Stage.Stopped != nil {
				hours := point.Stage.Stopped.Sub(*point.Stage.Started).Hours()
				after = math.Round(100*(before+perHour*hours)) / 100
			}
		}
		p.must(p.Fill("input[name=after]", fmt.Sprintf("%.2f", after)))
		p.must(p.Key("Enter"))
		return after
	}
	second := stage(12.80, 25.3)
	p.see("Stage as found: 2, 400 mL/h")
	p.picture("stage-second")
	p.enter("was read after the stage before") // what was read after the first is the weight before the second
	p.see("Runs since")
	third := stage(second, 404)
	p.enter("Close as found")
	p.see("Advised: leave")
	v := p.record()
	reading := v.Measures[0].Points[1].Readings[0]
	require.NotNil(t, reading.Stage)
	assert.Equal(t, []float64{second, third}, []float64{reading.Stage.Before, reading.Stage.After})
	found := v.Measures[0].Points[1].Found
	assert.InDelta(t, 1.0033*(reading.Stage.PerHour()+0.02)-400, found.Error, 0.15, "water of 22 °C, over-delivery positive")
	assert.Contains(t, fmt.Sprint(v.Remarks), "the stage was started again")
}

// spanning reads a scale whose span has shifted, in pounds at first, and sets the span by its load: a wrong value typed
// into the scale is refused.
func spanning(t *testing.T, s *server) {
	p := openPage(t, s, "Idris Vail")
	p.startBySearch(tagOf(t, p, "patient scale", 2))
	p.enter("Take the first that fits", "I have read them")
	p.must(p.Fill("input[name=capacity]", "200"))
	p.must(p.Fill("input[name=division]", "0,1"))
	p.must(p.Press("Record"))
	p.enter("nothing touches the platform", "Unit locked to kg", "Start the timer")
	p.recordRoom()
	p.must(p.SeeWithin("Exercise once", time.Minute))
	p.enter("Load the platform with what the kit allows", "Empty platform; zero by the key")
	shows := func(factor float64) {
		for {
			v := p.record()
			var m *runview.MeasureView
			var point *runview.PointView
			for i := range v.Measures {
				for j := range v.Measures[i].Points {
					if q := &v.Measures[i].Points[j]; m == nil && v.Measures[i].Reading && !q.Complete && q.Omitted == "" {
						m, point = &v.Measures[i], q
					}
				}
			}
			if m == nil {
				return
			}
			for range m.Repeats {
				before := p.record().Seq
				value := point.Expected.Reference * factor
				if m.ID == "rising" && point.Label == "25 %" && factor != 1 {
					p.must(p.Fill("input[name=reading]", fmt.Sprintf("%.1f", value/0.45359237)))
					p.must(p.Key("Enter"))
					p.see("kg in pounds: does the display show pounds?")
				}
				p.see(m.Title + " as")
				p.must(p.Fill("input[name=reading]", fmt.Sprintf("%.1f", value)))
				p.must(p.Key("Enter"))
				require.Eventually(t, func() bool { return p.record().Seq > before }, 20*time.Second, 30*time.Millisecond)
			}
		}
	}
	shows(1.004)
	p.enter("Region, division", "Close as found")
	p.see("Advised: adjust", "set the span by its load")
	p.must(p.Key("Enter"))
	p.see("Set the span, round 1", "Empty platform: it shows zero")
	p.must(p.Press("Done, next"))
	p.must(p.Press("Done, next"))
	p.see("into the scale")
	p.must(p.Fill("input[name=typed-span]", "104"))
	p.must(p.Press("Done, next"))
	p.must(p.Press("Note it; verify again"))
	p.see("it would be wrong at every load by +4.0 %")
	p.picture("span-refused")
	p.must(p.Fill("input[name=typed-span]", "100,0"))
	p.must(p.Press("Done, next"))
	p.see("Unload: it shows zero")
	p.must(p.Press("Note it; verify again"))
	p.see("Rising as left: empty")
	shows(1)
	p.must(p.Press("Close as left"))
	p.see("Advised: leave")
	v := p.record()
	require.Len(t, v.Findings[0].Made, 1)
	assert.Contains(t, v.Findings[0].Made[0], "set by its load (100.0 kg typed in; ")
}

// roleExpiry is the last day of what fills a role of the run in hand.
func roleExpiry(t *testing.T, p *page, role string) string {
	t.Helper()
	for _, r := range p.record().Roles {
		if r.ID == role {
			require.NotNil(t, r.Standard, role)
			return r.Standard.Certificate.DueOn.Format(time.DateOnly)
		}
	}
	require.FailNow(t, "no role "+role)
	return ""
}
