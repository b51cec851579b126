package demo

import (
	"fmt"
	"math/rand/v2"
	"time"

	"northneedle/core/conformity"
	"northneedle/core/duty"
	"northneedle/core/run"
	"northneedle/internal/definition"
	"northneedle/internal/ledger"
)

// Generate fills a ledger with many devices and results, to measure its speed with:
// the lists as they would be, without events behind them.
func Generate(l *ledger.Ledger, assets, readings int, seed uint64, now time.Time, say func(string)) error {
	random := rand.New(rand.NewPCG(seed, 50000))
	templates, err := definition.Duties("")
	if err != nil {
		return err
	}
	perRun := 10
	runs := max(1, readings/perRun/max(1, assets))
	var devices []ledger.Asset
	var activities []ledger.Activity
	var history []ledger.Run
	var results []ledger.Result
	var backs []ledger.LookBack
	var notices []ledger.Notice
	flush := func(done int) error {
		if err := l.FillUnlogged(&devices, &activities, &history, &results, &backs, &notices); err != nil {
			return err
		}
		devices, activities, history, results, backs, notices = nil, nil, nil, nil, nil, nil
		say(fmt.Sprintf("%d of %d devices", done, assets))
		return nil
	}
	for i := range assets {
		md := models[i%len(models)]
		site := sites[random.IntN(len(sites))]
		a := ledger.Asset{ID: fmt.Sprintf("gen-%06d", i), Tag: fmt.Sprintf("GX-%06d", i),
			Serial: fmt.Sprintf("G%07d", random.IntN(1e7)), Maker: md.maker, Model: md.name, Family: md.family,
			Site: site.name, Place: site.places[random.IntN(len(site.places))], Status: ledger.InUse,
			Risk: 1 + random.IntN(5)}
		a.Search = ledger.Searchable(a)
		devices = append(devices, a)
		for _, d := range duty.DutiesOf(templates, a.Family, a.Maker+" "+a.Model) {
			activities = append(activities, ledger.Activity{
				ID:        fmt.Sprintf("gen-act-%06d-%s", i, d.ID),
				AssetID:   a.ID,
				Procedure: d.Procedure,
				Title:     d.Title,
				Duty:      d,
				DueOn:     now.AddDate(0, 0, random.IntN(420)-40),
				Risk:      a.Risk,
				Active:    true,
				Reason:    "generated",
			})
		}
		for r := range runs {
			at := now.AddDate(0, 0, -30-365*r-random.IntN(300))
			rn := ledger.Run{
				ID:       fmt.Sprintf("gen-run-%06d-%d", i, r),
				AssetID:  a.ID,
				Tag:      a.Tag,
				Maker:    a.Maker,
				Model:    a.Model,
				Site:     a.Site,
				Family:   a.Family,
				Title:    "Verification",
				Status:   run.Signed,
				Result:   run.Conforms,
				OpenedAt: at,
				EndedAt:  &at,
				By:       "generated",
				Paper:    true,
				Found:    perRun,
			}
			history = append(history, rn)
			for p := range perRun {
				lean := 0.4 * random.NormFloat64()
				results = append(results, ledger.Result{
					RunID:        rn.ID,
					AssetID:      a.ID,
					At:           at,
					Measure:      "m",
					Point:        fmt.Sprint(p),
					Label:        fmt.Sprintf("point %d", p),
					Unit:         "1",
					Phase:        run.AsFound,
					Reference:    float64(p),
					Indicated:    float64(p) + lean,
					Error:        lean,
					U:            0.2,
					Zone:         conformity.Inside,
					ErrorToLimit: lean,
					UToLimit:     0.2,
				})
			}
		}
		if i%doubted == 0 {
			b, told := generatedLookBack(a, i/doubted, now)
			backs, notices = append(backs, b), append(notices, told...)
		}
		if len(devices) == 1000 {
			if err := flush(i + 1); err != nil {
				return err
			}
		}
	}
	return flush(assets)
}

// doubted says on which devices there was a look-back: on one of so many.
const doubted = 500

// generatedLookBack is a look-back on a device with what its owners were told: one
// of four is open.
func generatedLookBack(a ledger.Asset, n int, now time.Time) (ledger.LookBack, []ledger.Notice) {
	opened := now.AddDate(0, 0, -3*n-1)
	from := opened.AddDate(-1, 0, 0)
	b := ledger.LookBack{
		ID:       "gen-back-" + a.ID,
		Kind:     ledger.OnDevice,
		AssetID:  a.ID,
		Title:    a.Tag + " was found out",
		Found:    "found outside its limits at one point",
		From:     &from,
		Until:    opened,
		Risk:     a.Risk,
		OpenedAt: opened,
		OpenedBy: "generated",
	}
	var notices []ledger.Notice
	for i := range 3 {
		notice := ledger.Notice{
			ID:         fmt.Sprintf("%s-%d", b.ID, i),
			LookBackID: b.ID,
			AssetID:    a.ID,
			To:         fmt.Sprintf("%s, %s", a.Site, a.Place),
			Text:       a.Tag + " may have read wrong since " + from.Format(time.DateOnly) + ".",
		}
		if i > 0 {
			notice.SentAt, notice.SentBy = &opened, "generated"
		}
		if i > 1 {
			notice.AnsweredAt, notice.AnsweredBy, notice.Answer = &opened, "generated", "Nothing depended on it."
		}
		notices = append(notices, notice)
	}
	if n%4 != 0 {
		closed := opened.AddDate(0, 0, 9)
		b.ClosedAt, b.ClosedBy, b.Conclusion = &closed, "generated", "Nothing to correct."
	}
	return b, notices
}
