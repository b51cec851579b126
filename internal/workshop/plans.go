package workshop

import (
	"fmt"
	"sync"

	"northneedle/core/dayplan"
)

// keptPlans is how many plans are kept; with one more, all are let go.
const keptPlans = 64

// plans are those of days that were asked for. A plan follows from its day alone, so it
// stands however often the ledger changes, until something changes that it was made of.
type plans struct {
	mutex sync.Mutex
	made  map[string]dayplan.Plan
}

// make is a day's plan, whose ways are a lab's; it is shared by all who ask, and only read.
func (p *plans) make(day dayplan.Day, lab WorkingDay) (dayplan.Plan, error) {
	travel := day.Travel
	day.Travel = nil // it follows from the lab and the places
	key := fmt.Sprintf("%#v %#v", day, lab)
	day.Travel = travel
	p.mutex.Lock()
	plan, known := p.made[key]
	p.mutex.Unlock()
	if known {
		return plan, nil
	}
	plan, err := dayplan.Make(day)
	if err != nil {
		return plan, err
	}
	p.mutex.Lock()
	defer p.mutex.Unlock()
	if p.made == nil || len(p.made) >= keptPlans {
		p.made = map[string]dayplan.Plan{}
	}
	p.made[key] = plan
	return plan, nil
}
