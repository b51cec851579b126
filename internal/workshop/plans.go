package workshop

import (
	"encoding/json"
	"fmt"

	"northneedle/core/dayplan"

	lru "github.com/hashicorp/golang-lru/v2"
	"golang.org/x/sync/singleflight"
)

// keptPlans is how many plans are kept; with one more, the one that was not asked for longest is let go.
const keptPlans = 64

// plans are those of days that were asked for. A plan follows from its day alone, so it
// stands however often the ledger changes, until something changes that it was made of.
type plans struct {
	made  *lru.Cache[string, dayplan.Plan]
	under singleflight.Group // what is being made
}

func newPlans() *plans {
	made, err := lru.New[string, dayplan.Plan](keptPlans)
	if err != nil {
		panic(err) // there is no room for a single plan
	}
	return &plans{made: made}
}

// make is a day's plan, whose ways are a lab's; equal days of equal labs have one plan,
// which is shared by all who ask, and only read.
func (p *plans) make(day dayplan.Day, lab WorkingDay) (dayplan.Plan, error) {
	travel := day.Travel
	day.Travel = nil // it follows from the lab and the places
	ways, err := json.Marshal(lab)
	if err != nil {
		return dayplan.Plan{}, err
	}
	key := fmt.Sprintf("%#v %s", day, ways)
	day.Travel = travel
	if plan, known := p.made.Get(key); known {
		return plan, nil
	}
	plan, err, _ := p.under.Do(key, func() (any, error) {
		plan, err := dayplan.Make(day)
		if err == nil {
			p.made.Add(key, plan)
		}
		return plan, err
	})
	if err != nil {
		return dayplan.Plan{}, err
	}
	return plan.(dayplan.Plan), nil
}
