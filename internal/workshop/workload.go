package workshop

import (
	"context"
	"time"

	"northneedle/core/dayplan"
	"northneedle/core/person"
	"northneedle/internal/ledger"
)

// WorkloadView is the year ahead, month by month, as it stands and levelled.
type WorkloadView struct {
	Months   []string  `json:"months" doc:"2026-11 and so on"`
	Hours    []float64 `json:"hours"`
	Levelled []float64 `json:"levelled"`
	Moves    int       `json:"moves" doc:"activities that would be brought forward"`
	Capacity float64   `json:"capacity" doc:"hours of verification in a month"`
}

// yearMonths is how far ahead the workload looks.
const yearMonths = 12

// YearAhead is the year's workload, as it stands and levelled.
func (ws *Workshop) YearAhead(ctx context.Context) (WorkloadView, error) {
	return remembered(ctx, ws, func() (WorkloadView, error) {
		v, _, err := ws.workload()
		return v, err
	}, "workload")
}

// workload adds up what is due in the months ahead; what is overdue falls into the first.
func (ws *Workshop) workload() (v WorkloadView, moves []dayplan.Move, err error) {
	now := ws.Clock()
	first := time.Date(now.Year(), now.Month(), 1, 0, 0, 0, 0, now.Location())
	lab, err := ws.workingDay()
	if err != nil {
		return v, nil, err
	}
	due, err := ws.Ledger.DueDays(first.AddDate(0, yearMonths, 0))
	if err != nil {
		return v, nil, err
	}
	hours := map[string]float64{} // by procedure: there are many more activities
	work := make([]dayplan.Recurring, len(due))
	for i, a := range due {
		if _, known := hours[a.Procedure]; !known {
			hours[a.Procedure] = ws.estimate(a.Procedure, lab).Hours()
		}
		work[i] = dayplan.Recurring{
			ID:    a.ID,
			DueOn: a.DueOn,
			Days:  a.Days,
			Hours: hours[a.Procedure],
		}
	}
	loads := dayplan.LoadsOf(work, first, yearMonths, lab.Rounds.Forward)
	v.Capacity = lab.Capacity
	for i := range yearMonths {
		v.Months = append(v.Months, first.AddDate(0, i, 0).Format("2006-01"))
	}
	v.Hours, v.Levelled, moves, err = dayplan.Level(loads, yearMonths)
	v.Moves = len(moves)
	return v, moves, err
}

// LevelYear re-plans what levelling brings forward, to the last day of the month it goes to.
func (ws *Workshop) LevelYear(id string, who person.Person) error {
	v, moves, err := ws.workload()
	if err != nil {
		return err
	}
	var notes []ledger.ActivityNote
	var changed []*ledger.Activity
	for _, m := range moves {
		a, err := ws.Ledger.Activity(m.ID)
		if err != nil {
			return err
		}
		month, err := time.ParseInLocation("2006-01", v.Months[m.To], ws.Clock().Location())
		if err != nil {
			return err
		}
		a.DueOn = month.AddDate(0, 1, -1)
		a.Reason = "brought forward to level the year, by " + who.Name
		notes = append(notes, ledger.ActivityNote{
			ID:         id + "-" + a.ID,
			ActivityID: a.ID,
			AssetID:    a.AssetID,
			At:         ws.Clock(),
			By:         who.Name,
			Kind:       ledger.NoteReplanned,
			Text:       "to " + a.DueOn.Format(time.DateOnly) + ": the year is levelled",
		})
		changed = append(changed, &a)
	}
	return ws.Ledger.ChangeActivities(ws.act(id, "year levelled", who, "the year is levelled"), notes, changed...)
}
