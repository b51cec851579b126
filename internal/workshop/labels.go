package workshop

import (
	"net/url"
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

// mostLabels is how many labels are written at a time.
const mostLabels = 480

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

// Labels are labels with a code for each device: one, where a tag is given, else sheets of those
// that a search finds, from a place (0 to 23) on the first sheet.
func (ws *Workshop) Labels(tag, search string, first int) (f File, err error) {
	lab, err := ws.Lab()
	if err != nil {
		return f, err
	}
	address := ""
	if err := ws.Ledger.Setting(publicAddress, &address); err != nil {
		return f, err
	}
	var assets []ledger.Asset
	if tag != "" {
		a, err := ws.Ledger.Asset(tag)
		if err != nil {
			return f, err
		}
		assets = []ledger.Asset{a}
	} else if assets, err = ws.Ledger.Assets(ledger.AssetPage{Search: search, Limit: mostLabels}); err != nil {
		return f, err
	}
	ids := make([]string, len(assets))
	for i, a := range assets {
		ids[i] = a.ID
	}
	activities, err := ws.Ledger.Activities(ids...)
	if err != nil {
		return f, err
	}
	facts, err := ws.facts(ids...)
	if err != nil {
		return f, err
	}
	labels := make([]paper.Label, len(assets))
	at := map[string]int{}
	for i, a := range assets {
		at[a.ID] = i
		labels[i] = paper.Label{
			Tag:    a.Tag,
			Device: a.Maker + " " + a.Model,
			Lab:    lab.Name,
			Code:   codeOf(address, a.Tag),
		}
		state := device.Of(facts[a.ID], ws.Clock())
		if labels[i].Says, err = ws.saidOnLabel(facts[a.ID]); err != nil {
			return f, err
		}
		if state.Stop {
			labels[i].Stop = strings.TrimSuffix(string(state.State)+": "+state.Words, ": ")
		} else if state.State == device.InDoubt {
			labels[i].Doubt = state.Words
		}
	}
	for _, a := range activities {
		l := &labels[at[a.AssetID]]
		if a.Procedure == "" || !duty.HasDay(a.DueOn) {
			continue
		}
		if due := a.DueOn; l.Due == nil || due.Before(*l.Due) {
			l.Due = &due
		}
		if a.LastOn != nil && (l.Done == nil || a.LastOn.After(*l.Done)) {
			l.Done = a.LastOn
		}
	}
	body, err := paper.Labels(labels, tag != "", first)
	if err != nil {
		return f, invalid("search", Sentence(err))
	}
	return File{Name: "labels.pdf", Type: "application/pdf", Body: body}, nil
}
