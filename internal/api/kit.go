package api

import (
	"fmt"
	"time"

	"northneedle/core/procedure"
	"northneedle/internal/ledger"
)

// KitLine is one thing to bring.
type KitLine struct {
	Title   string   `json:"title"`
	Tags    []string `json:"tags"`
	For     int      `json:"for" doc:"jobs"`
	Litres  float64  `json:"litres,omitempty" doc:"of gas needed"`
	Left    float64  `json:"left,omitempty" doc:"litres above the reserve"`
	Problem string   `json:"problem,omitempty"`
}

// kitList is what a day's jobs need.
type kitList struct {
	standards []ledger.Standard
	now       time.Time
	lines     map[string]*KitLine
	order     []string
}

// bring adds what a procedure needs, and gives the references that only one job can have
// at a time: instruments, not kits of weights nor lots.
func (k *kitList) bring(p *procedure.Procedure) (tags []string) {
	for _, role := range p.Roles {
		if role.Optional {
			continue
		}
		line := k.lines[role.Title]
		if line == nil {
			line = &KitLine{Title: role.Title, Tags: []string{}}
			k.lines[role.Title], k.order = line, append(k.order, role.Title)
			role.Prepared = nil // it is prepared on the day itself
			for _, s := range k.standards {
				if s.Kind == role.Kind && len(role.Fits(s.Core(), k.now).Blocks) == 0 {
					line.Tags = append(line.Tags, s.Tag)
					if s.Cylinder != nil {
						line.Left = max(line.Left, s.Cylinder.Usable())
					}
				}
			}
			if len(line.Tags) == 0 {
				line.Problem = "None can be used that day as things stand."
			}
		}
		line.For++
		line.Litres += role.Litres
		if line.Litres > line.Left && role.Litres > 0 {
			line.Problem = fmt.Sprintf("The jobs need about %.0f L; %.0f L are above the reserve.", line.Litres,
				line.Left)
		}
		if len(line.Tags) == 1 && role.Litres == 0 {
			tags = append(tags, line.Tags[0])
		}
	}
	return tags
}

func (k *kitList) list() []KitLine {
	all := make([]KitLine, len(k.order))
	for i, title := range k.order {
		all[i] = *k.lines[title]
	}
	return all
}
