package reference

import (
	"fmt"
	"slices"
	"time"
)

// Candidate is a standard offered for a role, with what speaks for and against it.
type Candidate struct {
	Standard Standard `json:"standard"`
	Fitness  Fitness  `json:"fitness"`
}

// Fits reports whether nothing speaks against it.
func (c Candidate) Fits() bool { return len(c.Fitness.Blocks) == 0 }

// Candidates are the standards of the role's kind on a day: those that fit first, and among those
// that come in lots the first to expire first; then those that do not fit.
func (r Role) Candidates(all []Standard, on time.Time) []Candidate {
	fit, unfit := []Candidate{}, []Candidate{}
	for _, s := range all {
		if s.Kind != r.Kind {
			continue
		}
		if c := (Candidate{s, r.Fits(s, on)}); c.Fits() {
			fit = append(fit, c)
		} else {
			unfit = append(unfit, c)
		}
	}
	slices.SortStableFunc(fit, func(a, b Candidate) int {
		if a.Standard.Lot == "" || b.Standard.Lot == "" {
			return 0
		}
		return a.Standard.Certificate.DueOn.Compare(b.Standard.Certificate.DueOn)
	})
	return append(fit, unfit...)
}

// KitLine is one thing to bring.
type KitLine struct {
	Kind    string   `json:"kind"`
	Title   string   `json:"title"`
	Tags    []string `json:"tags" doc:"of those that can be used"`
	For     int      `json:"for" doc:"jobs"`
	Litres  float64  `json:"litres,omitempty" doc:"of gas needed"`
	Left    float64  `json:"left,omitempty" doc:"litres above the reserve"`
	Problem string   `json:"problem,omitempty"`
}

// Kit is what a day's jobs need. The zero value has no standards to choose from.
type Kit struct {
	Standards []Standard
	On        time.Time

	lines []*KitLine
}

// Bring adds what the roles of so many jobs need, optional ones left out, and gives the tags that
// only one job can have at a time: instruments, not kits of weights nor lots. What a standard must
// be prepared with does not count: it is prepared on the day itself.
func (k *Kit) Bring(roles []Role, jobs int) (tags []string) {
	for _, role := range roles {
		if role.Optional {
			continue
		}
		line := k.line(role)
		line.For += jobs
		line.Litres += role.Litres * float64(jobs)
		if line.Litres > line.Left && role.Litres > 0 && len(line.Tags) > 0 {
			line.Problem = fmt.Sprintf("The jobs need about %.0f L; %.0f L are above the reserve.", line.Litres,
				line.Left)
		}
		if len(line.Tags) == 1 && role.Litres == 0 {
			tags = append(tags, line.Tags[0])
		}
	}
	return tags
}

// line is the kit's line of a role, which is begun where there is none.
func (k *Kit) line(role Role) *KitLine {
	for _, line := range k.lines {
		if line.Title == role.Title {
			return line
		}
	}
	line := &KitLine{Kind: role.Kind, Title: role.Title, Tags: []string{}}
	role.Prepared = nil // it is prepared on the day itself
	for _, c := range role.Candidates(k.Standards, k.On) {
		if !c.Fits() {
			continue
		}
		line.Tags = append(line.Tags, c.Standard.Tag)
		if y := c.Standard.Cylinder; y != nil {
			line.Left = max(line.Left, y.Usable())
		}
	}
	if len(line.Tags) == 0 {
		line.Problem = "None can be used as things stand."
	}
	k.lines = append(k.lines, line)
	return line
}

// Lines are the kit's, in the order in which they were needed.
func (k *Kit) Lines() []KitLine {
	all := make([]KitLine, len(k.lines))
	for i, line := range k.lines {
		all[i] = *line
	}
	return all
}
