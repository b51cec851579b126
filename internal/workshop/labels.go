package workshop

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"northneedle/core/device"
	"northneedle/core/duty"
	"northneedle/core/person"
	"northneedle/core/runview"
	"northneedle/internal/ledger"
	"northneedle/internal/paper"
)

// saidOnLabel is what the newest runs of a device say on its label; empty where none says anything.
func (ws *Workshop) saidOnLabel(f device.Facts) (string, error) {
	for _, last := range f.Last {
		if p, known := ws.procedure(last.Procedure); !known || p.Label == "" || last.GivenBack || last.Waiting {
			continue
		}
		r, err := ws.Ledger.Run(last.ID)
		return r.Label(), err
	}
	return "", nil
}

// mostLabels is how many labels are written at a time: more than anybody sticks on in a week.
const mostLabels = 12_000

// publicAddress is the setting that says where others reach this server.
const publicAddress = "public-address"

// SetAddress says at which address others reach this server: labels carry it. Empty: they carry the tag alone.
func (ws *Workshop) SetAddress(address string, who person.Person) error {
	address = strings.TrimRight(strings.TrimSpace(address), "/")
	if address != "" {
		u, err := url.Parse(address)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.RawQuery != "" || u.Fragment != "" {
			return invalid("address", "Write the whole address, such as https://needle.example:8360, or nothing.")
		}
	}
	return ws.Ledger.SetSetting(ws.act("", "address of labels set", who, ""), publicAddress, address)
}

// VesselLabels are labels for the cuvettes and tubes that a step of a run fills.
func (ws *Workshop) VesselLabels(id, step string) (f File, err error) {
	r, err := ws.Ledger.Run(id)
	if err != nil {
		return f, err
	}
	var labels []paper.VesselLabel
	for _, v := range runview.Vessels(r, step) {
		of := v.Of
		if v.Lot != "" {
			of += ", lot " + v.Lot
		}
		labels = append(labels, paper.VesselLabel{What: v.What, Of: of,
			For: r.Device.Tag + " · " + ws.Clock().Format(time.DateOnly)})
	}
	if len(labels) == 0 {
		return f, ledger.ErrNotFound
	}
	body, err := paper.Vessels(labels)
	return File{Name: "cuvettes-" + r.Device.Tag + ".pdf", Type: "application/pdf", Body: body}, err
}

// codeOf is what a label's code says: the device's address here, or its tag.
func codeOf(address, tag string) string {
	if address == "" {
		return tag
	}
	return address + "/equipment/" + url.PathEscape(tag)
}

// Label is the label of one device, on a page of its own.
func (ws *Workshop) Label(tag string) (f File, err error) {
	a, err := ws.Ledger.Asset(tag)
	if err != nil {
		return f, err
	}
	labels, err := ws.labels(a)
	if err != nil {
		return f, err
	}
	body, err := paper.Labels(labels, true, 0, func(int) error { return nil })
	return File{Name: "label-" + a.Tag + ".pdf", Type: "application/pdf", Body: body}, err
}

// Labels begins to write sheets of labels for all devices that are meant, in their order, from a place (0 to 23) on the
// first sheet.
func (ws *Workshop) Labels(ctx context.Context, q AssetQuery, first int, who person.Person) (JobView, error) {
	total, found, err := ws.found(ctx, q, 0, 0)
	switch {
	case err != nil:
		return JobView{}, err
	case total == 0:
		return JobView{}, invalid("search", "No device is meant: there is no label to write.")
	case total > mostLabels:
		return JobView{}, invalid("search",
			fmt.Sprintf("These are %d devices: write labels for %d at most at a time, by site or family.",
				total, mostLabels))
	}
	return ws.jobs.begin("labels", 2*total, who, func(ctx context.Context, told func(done int)) (File, error) {
		var labels []paper.Label
		for some := range slices.Chunk(found, statesAtOnce) {
			more, err := ws.labels(some...)
			if err := errors.Join(err, ctx.Err()); err != nil {
				return File{}, err
			}
			labels = append(labels, more...)
			told(len(labels))
		}
		body, err := paper.Labels(labels, false, first, func(done int) error {
			told(total + done)
			return ctx.Err()
		})
		return File{Name: "labels.pdf", Type: "application/pdf", Body: body}, err
	})
}

// labels are what the labels of some devices say.
func (ws *Workshop) labels(assets ...ledger.Asset) ([]paper.Label, error) {
	lab, err := ws.Lab()
	if err != nil {
		return nil, err
	}
	address := ""
	if err := ws.Ledger.Setting(publicAddress, &address); err != nil {
		return nil, err
	}
	ids := idsOf(assets)
	of, err := ws.activitiesOf(ids...)
	if err != nil {
		return nil, err
	}
	facts, err := ws.facts(ids...)
	if err != nil {
		return nil, err
	}
	labels := make([]paper.Label, len(assets))
	for i, a := range assets {
		l := paper.Label{Tag: a.Tag, Device: a.Maker + " " + a.Model, Lab: lab.Name, Code: codeOf(address, a.Tag)}
		if l.Says, err = ws.saidOnLabel(facts[a.ID]); err != nil {
			return nil, err
		}
		if state := device.Of(facts[a.ID], ws.Clock()); state.Stop {
			l.Stop = strings.TrimSuffix(string(state.State)+": "+state.Words, ": ")
		} else if state.State == device.InDoubt {
			l.Doubt = state.Words
		}
		for _, a := range of[a.ID] {
			if a.Procedure == "" || a.Duty.Maintains || !duty.HasDay(a.DueOn) {
				continue
			}
			if due := a.DueOn; l.Due == nil || due.Before(*l.Due) {
				l.Due = &due
			}
			if a.LastOn != nil && (l.Done == nil || a.LastOn.After(*l.Done)) {
				l.Done = a.LastOn
			}
		}
		labels[i] = l
	}
	return labels, nil
}
