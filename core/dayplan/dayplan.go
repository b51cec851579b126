// Package dayplan orders a day's jobs: waits of one are filled with work on others.
package dayplan

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
)

// Job is one piece of work. Times are in minutes. After Setup it runs by itself for Wait
// at least (warming up, settling, testing itself); then it is finished.
type Job struct {
	ID         string
	Place      string
	Setup      int
	Wait       int
	Finish     int
	References []string // in use from its beginning to its end; each can be in one job at a time
	Skill      string   // that its person must have; empty for anyone
	Risk       int      // 1 to 5
	DaysLate   int      // negative: not due yet
	Ready      int      // not before this minute of the day
	Started    bool     // it was set up already: only its end is left, from Ready on
}

// length is the hands that a job needs.
func (j Job) length() int {
	if j.Started {
		return j.Finish
	}
	return j.Setup + j.Finish
}

// priority is how much leaving the job out costs.
func (j Job) priority() int { return Priority(j.Risk, j.DaysLate) }

// Window is when a place can be worked at, in minutes of the day.
type Window struct{ From, Until int }

// Person is someone who works that day.
type Person struct {
	Name   string
	Skills []string
	Window
	Place string // where they begin; empty: at their first job
}

func (p Person) can(skill string) bool { return skill == "" || slices.Contains(p.Skills, skill) }

// Day is what there is to plan.
type Day struct {
	Jobs    []Job
	People  []Person
	Windows map[string][]Window       // by place; a place that is not named is always open
	Travel  func(from, to string) int // minutes; nil: none
	Busy    map[string][]Window       // references that are away, by tag
	Order   []string                  // of jobs, where a person has put them in order: then nothing is searched
	Who     map[string]string         // whom jobs were given to, with an order put by hand
	Tries   int                       // how many orders are looked at; 0: enough for a day

	ground *ground
}

// Part of a job, as it stands in the plan.
const (
	SetUp  = "set up"
	Finish = "finish"
	Whole  = "whole" // without a wait, or with one that nothing fits into
)

// Block is someone's hands on one part of a job.
type Block struct {
	Job    string `json:"job"`
	Part   string `json:"part" enum:"set up,finish,whole"`
	Person string `json:"person"`
	Place  string `json:"place"`
	From   int    `json:"from"`
	Until  int    `json:"until"`
	Travel int    `json:"travel"` // minutes on the way to it

	at int // the number of its place
}

// Left is a job that does not fit, and why.
type Left struct {
	Job string `json:"job"`
	Why string `json:"why"`
}

// Plan is a day in order.
type Plan struct {
	Blocks []Block  `json:"blocks"` // by time
	Left   []Left   `json:"left"`
	Ends   int      `json:"ends"`   // when the last one is done
	Hands  int      `json:"hands"`  // minutes of work
	Way    int      `json:"way"`    // minutes of travel
	Filled int      `json:"filled"` // minutes of waiting that were filled with other work
	Order  []string `json:"order"`  // of the parts: a job stands in it twice

	Who   map[string]string `json:"who"`   // who does each job
	Bound int               `json:"bound"` // no plan of these jobs ends before
}

// Make orders a day so that the gravest are not left out, and it ends early. It looks at
// orders by risk, by waiting and by place first, and then changes the best one a little,
// again and again; the same day always gives the same plan. Long waits come first where
// nothing speaks against it (Johnson's rule; coupled tasks on one machine).
func Make(d Day) (Plan, error) {
	if err := d.check(); err != nil {
		return Plan{}, err
	}
	d.ground = d.survey()
	if len(d.Order) > 0 {
		plan := d.fill(d.ordered(), true)
		plan.Bound = d.bound(plan)
		return plan, nil
	}
	grave := func(a, b Job) int {
		return cmp.Or(cmp.Compare(b.priority(), a.priority()), cmp.Compare(b.Wait, a.Wait))
	}
	waits := func(a, b Job) int { return cmp.Or(cmp.Compare(b.Wait, a.Wait), cmp.Compare(a.length(), b.length())) }
	places := func(a, b Job) int { return cmp.Or(cmp.Compare(a.Place, b.Place), cmp.Compare(b.Wait, a.Wait)) }
	best := d.decode(oneByOne(d.by(grave)))
	for _, order := range [][]int{oneByOne(d.by(places)), twice(d.by(waits)), twice(d.by(grave)),
		d.placeByPlace(d.by(places))} {
		if plan := d.decode(order); d.better(plan, best) {
			best = plan
		}
	}
	best = d.search(best)
	d.Who = best.Who
	for range 10 { // until it is as it will be found again when it was kept
		next := d.fill(d.orderOf(best), true)
		same := slices.Equal(next.Blocks, best.Blocks)
		best, d.Who = next, next.Who
		if same {
			break
		}
	}
	best.Bound = d.bound(best)
	return best, nil
}

func (d Day) check() error {
	seen := map[string]bool{}
	for _, j := range d.Jobs {
		switch {
		case j.ID == "" || seen[j.ID]:
			return fmt.Errorf("every job needs an id of its own; %q stands twice, or is empty", j.ID)
		case j.Setup < 0 || j.Wait < 0 || j.Finish < 0 || j.length() == 0:
			return fmt.Errorf("job %s: its times must not be negative, nor all nothing", j.ID)
		case j.Risk < 1 || j.Risk > 5:
			return fmt.Errorf("job %s: the risk is 1 to 5, it is %d", j.ID, j.Risk)
		}
		seen[j.ID] = true
	}
	if len(d.People) == 0 {
		return fmt.Errorf("nobody works that day")
	}
	for _, p := range d.People {
		if p.From >= p.Until {
			return fmt.Errorf("%s: the day begins at %d and ends at %d", p.Name, p.From, p.Until)
		}
	}
	for _, id := range d.Order {
		if !seen[id] {
			return fmt.Errorf("the order names %q, which is no job of the day", id)
		}
	}
	return nil
}

// by is the jobs' order by a comparison, the earlier in the list first where it says nothing.
func (d Day) by(compare func(a, b Job) int) []int {
	order := make([]int, len(d.Jobs))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return compare(d.Jobs[a], d.Jobs[b]) })
	return order
}

// oneByOne finishes each job before the next.
func oneByOne(jobs []int) []int {
	parts := make([]int, 0, 2*len(jobs))
	for _, j := range jobs {
		parts = append(parts, j, j)
	}
	return parts
}

// twice begins every job, and then finishes them in the same order.
func twice(jobs []int) []int { return append(slices.Clone(jobs), jobs...) }

// placeByPlace begins every job of a place, and finishes them before the next place.
func (d Day) placeByPlace(jobs []int) []int {
	var parts []int
	for from := 0; from < len(jobs); {
		until := from
		for until < len(jobs) && d.Jobs[jobs[until]].Place == d.Jobs[jobs[from]].Place {
			until++
		}
		parts = append(parts, twice(jobs[from:until])...)
		from = until
	}
	return parts
}

// ordered is the order that a person gave.
func (d Day) ordered() []int {
	order := make([]int, len(d.Order))
	for i, id := range d.Order {
		order[i] = slices.IndexFunc(d.Jobs, func(j Job) bool { return j.ID == id })
	}
	return order
}

// orderOf is a plan's order, as places in the list of jobs.
func (d Day) orderOf(p Plan) []int {
	index := map[string]int{}
	for i, j := range d.Jobs {
		index[j.ID] = i
	}
	at := make([]int, len(p.Order))
	for i, id := range p.Order {
		at[i] = index[id]
	}
	return at
}

// search changes an order a little, and keeps what is no worse.
func (d Day) search(best Plan) Plan {
	n := len(best.Order)
	if n < 4 {
		return best
	}
	tries := d.Tries
	if tries == 0 {
		tries = min(150*n, 160_000/n)
	}
	random := rand.New(rand.NewPCG(uint64(n), 40))
	at, now := d.orderOf(best), best
	next := make([]int, n)
	for range tries {
		copy(next, at)
		i, k := random.IntN(n), random.IntN(n)
		if random.IntN(2) == 0 {
			next[i], next[k] = next[k], next[i]
		} else {
			moved := next[i]
			next = slices.Insert(slices.Delete(next, i, i+1), k, moved)
		}
		plan := d.decode(next)
		if d.better(now, plan) {
			continue
		}
		at, next, now = next, at, plan
		if d.better(plan, best) {
			best = plan
		}
	}
	return best
}

// better reports whether one plan is better: less grave work left out, then an earlier
// end, then less way.
func (d Day) better(a, b Plan) bool {
	return cmp.Or(cmp.Compare(d.missed(a), d.missed(b)), cmp.Compare(a.Ends, b.Ends), cmp.Compare(a.Way, b.Way)) < 0
}

func (d Day) missed(p Plan) (sum int) {
	for _, l := range p.Left {
		for _, j := range d.Jobs {
			if j.ID == l.Job {
				sum += j.priority()
			}
		}
	}
	return sum
}

// bound is an end that no plan of the same jobs comes before: neither all hands, shared
// among everyone, nor any one job with its wait.
func (d Day) bound(p Plan) int {
	begin := d.People[0].From
	for _, person := range d.People {
		begin = min(begin, person.From)
	}
	hands, longest := 0, 0
	places := map[string]bool{}
	for _, j := range d.Jobs {
		if slices.ContainsFunc(p.Left, func(l Left) bool { return l.Job == j.ID }) {
			continue
		}
		hands += j.length()
		places[j.Place] = true
		whole := max(begin, j.Ready) + j.length()
		if !j.Started {
			whole += j.Wait
		}
		longest = max(longest, whole)
	}
	least := 0
	if d.Travel != nil && len(places) > 1 {
		first := true
		for a := range places {
			for b := range places {
				if a != b && (first || d.Travel(a, b) < least) {
					least, first = d.Travel(a, b), false
				}
			}
		}
	}
	way := least * max(0, len(places)-len(d.People))
	return max(longest, begin+(hands+way+len(d.People)-1)/len(d.People))
}
