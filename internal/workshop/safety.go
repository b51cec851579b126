package workshop

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/device"
	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/ledger"
	"northneedle/internal/paper"
)

// SafetyOrder is a maker's or an authority's warning, as it is entered.
type SafetyOrder struct {
	ID       string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	Number   string `json:"number" minLength:"1" maxLength:"60" doc:"as its issuer numbers it"`
	Issuer   string `json:"issuer" minLength:"1" maxLength:"120"`
	Title    string `json:"title" minLength:"1" maxLength:"200"`
	Text     string `json:"text" minLength:"1" maxLength:"8000" doc:"what is wrong, and what is to be done"`
	Dated    Day    `json:"dated" format:"date"`
	Until    Day    `json:"until,omitempty" format:"date" doc:"by when it is to be done"`
	Stops    bool   `json:"stops" doc:"a device is not to be used until it was done"`
	Maker    string `json:"maker" minLength:"1" maxLength:"120"`
	Models   string `json:"models,omitempty" maxLength:"1000" doc:"with commas between them; empty: all of the maker"`
	Serials  string `json:"serials,omitempty" maxLength:"4000" doc:"such as 1200 to 1299, 1402; empty: all"`
	Versions string `json:"versions,omitempty" maxLength:"1000" doc:"of the software, such as up to 2.3; empty: all"`
}

// SafetyBrief is a safety notice in the list.
type SafetyBrief struct {
	ID       string     `json:"id"`
	Number   string     `json:"number"`
	Issuer   string     `json:"issuer"`
	Title    string     `json:"title"`
	Dated    time.Time  `json:"dated"`
	Until    *time.Time `json:"until,omitempty"`
	Stops    bool       `json:"stops"`
	Closed   *time.Time `json:"closed,omitempty"`
	ClosedBy string     `json:"closed_by,omitempty"`
	Devices  int        `json:"devices" doc:"of ours that it is about, or may be about"`
	Open     int        `json:"open"`
}

// SafetyView is a safety notice with what became of each device.
type SafetyView struct {
	SafetyBrief
	Text       string         `json:"text"`
	Maker      string         `json:"maker"`
	Models     []string       `json:"models"`
	Serials    string         `json:"serials,omitempty"`
	Versions   string         `json:"versions,omitempty"`
	By         string         `json:"by"`
	At         time.Time      `json:"at"`
	Conclusion string         `json:"conclusion,omitempty"`
	List       []SafetyListed `json:"list" doc:"what is open first"`
}

// SafetyListed is one device under a safety notice.
type SafetyListed struct {
	Asset    string               `json:"asset"`
	Tag      string               `json:"tag"`
	Device   string               `json:"device"`
	Serial   string               `json:"serial"`
	Software string               `json:"software,omitempty"`
	Site     string               `json:"site"`
	Place    string               `json:"place"`
	Risk     int                  `json:"risk"`
	Unsure   string               `json:"unsure,omitempty" doc:"why it is not known whether the notice is about it"`
	Outcome  ledger.SafetyOutcome `json:"outcome"`
	Note     string               `json:"note,omitempty"`
	Done     *time.Time           `json:"done,omitempty"`
	By       string               `json:"by,omitempty"`
	At       *time.Time           `json:"at,omitempty"`
}

// SafetyDone is what became of a device under a safety notice.
type SafetyDone struct {
	Outcome ledger.SafetyOutcome `json:"outcome"`
	Note    string               `json:"note" maxLength:"1000" doc:"what was done, with parts and their lots; or why it does not apply"`
	Done    Day                  `json:"done,omitempty" format:"date" doc:"the day; empty: today"`
}

// EnterSafety enters a safety notice. Sent again it changes nothing.
func (ws *Workshop) EnterSafety(o SafetyOrder, who person.Person) error {
	if known, err := ws.Ledger.SafetyNotice(o.ID); err == nil && known.ID == o.ID {
		return nil
	}
	n := ledger.SafetyNotice{ID: o.ID, Stops: o.Stops, At: ws.Clock(), By: who.Name, Dated: ws.begin(o.Dated)}
	for _, field := range []struct {
		name string
		from string
		to   *string
	}{{"number", o.Number, &n.Number}, {"issuer", o.Issuer, &n.Issuer}, {"title", o.Title, &n.Title}, {"text", o.Text, &n.Text},
		{"maker", o.Maker, &n.Maker}} {
		if *field.to = strings.TrimSpace(field.from); *field.to == "" {
			return invalid(field.name, "This is needed: write it as the notice has it.")
		}
	}
	if n.Dated.IsZero() || n.Dated.After(n.At) {
		return invalid("dated", "The day of the notice is today or before, as 2026-03-02.")
	}
	if o.Until != "" {
		until := ws.begin(o.Until)
		if until.IsZero() || until.Before(n.Dated) {
			return invalid("until", "The day by which it is to be done comes after that of the notice, as 2026-06-30.")
		}
		n.Until = &until
	}
	n.Models = device.ParseNames(o.Models)
	n.Serials, n.Versions = strings.TrimSpace(o.Serials), strings.TrimSpace(o.Versions)
	if _, err := device.ParseSerials(n.Serials); err != nil {
		return invalid("serials", Sentence(err)+".")
	}
	if _, err := device.ParseVersions(n.Versions); err != nil {
		return invalid("versions", Sentence(err)+".")
	}
	all, err := ws.Ledger.SafetyNotices()
	if err != nil {
		return err
	}
	for _, other := range all {
		if strings.EqualFold(other.Number, n.Number) && strings.EqualFold(other.Issuer, n.Issuer) {
			return invalid("number", fmt.Sprintf("%s of %s was entered on %s already, by %s.", other.Number, other.Issuer,
				other.At.Format(time.DateOnly), other.By))
		}
	}
	if err := ws.Ledger.Record(ws.act(n.ID, "safety notice entered", who, n.Number+", "+n.Title), &n); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}

// outcomes are what became of devices under some notices, by the id of the notice and of the device.
func (ws *Workshop) outcomes(notices ...ledger.SafetyNotice) (map[[2]string]ledger.SafetyDevice, error) {
	ids := make([]string, len(notices))
	for i, n := range notices {
		ids[i] = n.ID
	}
	rows, err := ws.Ledger.SafetyDevices(ids...)
	all := map[[2]string]ledger.SafetyDevice{}
	for _, d := range rows {
		all[[2]string{d.NoticeID, d.AssetID}] = d
	}
	return all, err
}

// reached are the devices that a notice is about, or may be about, and those that something was written down of; what is
// open first, then by risk.
func (ws *Workshop) reached(n ledger.SafetyNotice) ([]SafetyListed, error) {
	about, err := n.Affected()
	if err != nil {
		return nil, err
	}
	devices, err := ws.Ledger.AssetsOfMaker(n.Maker)
	if err != nil {
		return nil, err
	}
	outcomes, err := ws.outcomes(n)
	list := []SafetyListed{}
	for _, a := range devices {
		reach, why := about.Reaches(a.Maker, a.Model, a.Serial, a.Software)
		o, written := outcomes[[2]string{n.ID, a.ID}]
		if reach == device.NotReached && !written {
			continue
		}
		l := SafetyListed{Asset: a.ID, Tag: a.Tag, Device: a.Maker + " " + a.Model, Serial: a.Serial, Software: a.Software,
			Site: a.Site, Place: a.Place, Risk: a.Risk, Unsure: why, Outcome: ledger.SafetyOpen}
		if written {
			l.Outcome, l.Note, l.Done, l.By, l.At = o.Outcome, o.Note, o.Done, o.By, &o.At
		}
		list = append(list, l)
	}
	open := func(l SafetyListed) int {
		if l.Outcome == ledger.SafetyOpen {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(list, func(a, b SafetyListed) int { return cmp.Or(open(a)-open(b), b.Risk-a.Risk) })
	return list, err
}

func safetyBrief(n ledger.SafetyNotice, list []SafetyListed) SafetyBrief {
	b := SafetyBrief{ID: n.ID, Number: n.Number, Issuer: n.Issuer, Title: n.Title, Dated: n.Dated, Until: n.Until,
		Stops:  n.Stops,
		Closed: n.Closed, ClosedBy: n.ClosedBy, Devices: len(list)}
	for _, l := range list {
		if l.Outcome == ledger.SafetyOpen {
			b.Open++
		}
	}
	return b
}

// SafetyNotices are all of them, the open ones first, then the latest.
func (ws *Workshop) SafetyNotices() ([]SafetyBrief, error) {
	all, err := ws.Ledger.SafetyNotices()
	if err != nil {
		return nil, err
	}
	briefs := make([]SafetyBrief, len(all))
	for i, n := range all {
		list, err := ws.reached(n)
		if err != nil {
			return nil, err
		}
		briefs[i] = safetyBrief(n, list)
	}
	return briefs, nil
}

// SafetyNotice is one, with the list of our devices.
func (ws *Workshop) SafetyNotice(id string) (v SafetyView, err error) {
	n, err := ws.Ledger.SafetyNotice(id)
	if err != nil {
		return v, err
	}
	list, err := ws.reached(n)
	models := n.Models
	if models == nil {
		models = []string{}
	}
	return SafetyView{SafetyBrief: safetyBrief(n, list), Text: n.Text, Maker: n.Maker, Models: models, Serials: n.Serials,
		Versions: n.Versions, By: n.By, At: n.At, Conclusion: n.Conclusion, List: list}, err
}

// NoteSafety writes down what became of a device under a notice.
func (ws *Workshop) NoteSafety(id, tag string, o SafetyDone, who person.Person) error {
	n, err := ws.Ledger.SafetyNotice(id)
	if err != nil {
		return err
	}
	if n.Closed != nil {
		return &run.Refusal{Kind: run.Conflict, Code: "closed", Message: "This notice is closed."}
	}
	a, err := ws.Ledger.Asset(tag)
	if err != nil {
		return err
	}
	list, err := ws.reached(n)
	if err != nil {
		return err
	}
	if !slices.ContainsFunc(list, func(l SafetyListed) bool { return l.Asset == a.ID }) {
		return invalid("tag", "This notice is not about "+a.Tag+".")
	}
	d := ledger.SafetyDevice{ID: n.ID + "-" + a.ID, NoticeID: n.ID, AssetID: a.ID, Outcome: o.Outcome,
		Note: strings.TrimSpace(o.Note), At: ws.Clock(), By: who.Name}
	switch {
	case d.Note == "":
		return invalid("note", map[ledger.SafetyOutcome]string{
			ledger.SafetyDone: "Say what was done, with parts and their lots.",
			ledger.SafetyNot:  "Say why it does not apply to this device.",
			ledger.SafetyOpen: "Say why it is open again.",
		}[o.Outcome])
	case o.Outcome == ledger.SafetyDone:
		day := dayOf(d.At)
		if o.Done != "" {
			day = ws.begin(o.Done)
		}
		if day.IsZero() || day.After(d.At) || day.Before(n.Dated) {
			return invalid("done", "The day lies between that of the notice and today, as 2026-03-02.")
		}
		d.Done = &day
	}
	if err := ws.Ledger.Record(ws.act("", "safety notice: "+string(o.Outcome), who, n.Number+", "+a.Tag+": "+d.Note),
		&d); err != nil {
		return err
	}
	ws.changes.tell("", 0)
	return nil
}

// CloseSafety closes a notice under which nothing is open.
func (ws *Workshop) CloseSafety(id, conclusion string, who person.Person) error {
	v, err := ws.SafetyNotice(id)
	if err != nil {
		return err
	}
	conclusion = strings.TrimSpace(conclusion)
	switch {
	case v.Closed != nil:
		return nil
	case v.Open > 0:
		return &run.Refusal{Kind: run.Conflict, Code: "open",
			Message: fmt.Sprintf("%d of %d devices are open: say of each what became of it.", v.Open, v.Devices)}
	case conclusion == "":
		return invalid("conclusion", "Say what came of it.")
	}
	n, err := ws.Ledger.SafetyNotice(id)
	if err != nil {
		return err
	}
	now := ws.Clock()
	n.Closed, n.ClosedBy, n.Conclusion = &now, who.Name, conclusion
	return ws.Ledger.Record(ws.act("", "safety notice closed", who, n.Number+": "+conclusion), &n)
}

// noticesOn are the safety notices that are open on devices, by the ids of these.
func (ws *Workshop) noticesOn(ids []string) (map[string][]device.Notice, error) {
	all, err := ws.Ledger.SafetyNotices()
	all = slices.DeleteFunc(slices.Clone(all), func(n ledger.SafetyNotice) bool { return n.Closed != nil })
	if err != nil || len(all) == 0 {
		return nil, err
	}
	devices, err := ws.Ledger.AssetsOf(ids...)
	if err != nil {
		return nil, err
	}
	outcomes, err := ws.outcomes(all...)
	if err != nil {
		return nil, err
	}
	on := map[string][]device.Notice{}
	for _, n := range all {
		about, err := n.Affected()
		if err != nil {
			return nil, err
		}
		for _, a := range devices {
			reach, why := about.Reaches(a.Maker, a.Model, a.Serial, a.Software)
			o, written := outcomes[[2]string{n.ID, a.ID}]
			if reach != device.NotReached && (!written || o.Outcome == ledger.SafetyOpen) {
				on[a.ID] = append(on[a.ID], device.Notice{Number: n.Number, Issuer: n.Issuer, Title: n.Title, Unsure: why,
					Stops: n.Stops, Until: n.Until})
			}
		}
	}
	return on, nil
}

// SafetyPaper is a notice on paper, with the list of our devices.
func (ws *Workshop) SafetyPaper(id string) (f File, err error) {
	v, err := ws.SafetyNotice(id)
	if err != nil {
		return f, err
	}
	until := "no day given"
	if v.Until != nil {
		until = "to be done by " + v.Until.Format(time.DateOnly)
	}
	about := v.Maker + ", " + cmp.Or(strings.Join(v.Models, ", "), "every model")
	if v.Serials != "" {
		about += ", serial numbers " + v.Serials
	}
	if v.Versions != "" {
		about += ", software " + v.Versions
	}
	d := paper.Document{Title: "Safety notice " + v.Number,
		Under: v.Issuer + ", " + v.Dated.Format(time.DateOnly) + ", " + until,
		Sections: []paper.Section{{Title: v.Title, Text: v.Text}, {Title: "What it is about", Text: about + "."},
			{Title: fmt.Sprintf("Our devices: %d, %d open", v.Devices, v.Open), Empty: "None of our devices.",
				Columns: []paper.Column{{Title: "Device", Wide: 2}, {Title: "What", Wide: 3}, {Title: "Serial", Wide: 2},
					{Title: "Software", Wide: 1.5}, {Title: "Where", Wide: 3}, {Title: "State", Wide: 5}}}}}
	for _, l := range v.List {
		state := string(l.Outcome)
		if l.Outcome == ledger.SafetyOpen && l.Unsure != "" {
			state += ": to be looked at. " + l.Unsure
		}
		if l.Note != "" {
			state += ": " + l.Note
		}
		if l.Done != nil {
			state += " (" + l.Done.Format(time.DateOnly) + ", " + l.By + ")"
		}
		d.Sections[2].Rows = append(d.Sections[2].Rows, []string{l.Tag, l.Device, l.Serial, l.Software,
			l.Place + ", " + l.Site, state})
	}
	if v.Closed != nil {
		d.Sections = append(d.Sections, paper.Section{Title: "Closed", Text: fmt.Sprintf("%s, %s: %s",
			v.Closed.Format(time.DateOnly),
			v.ClosedBy, v.Conclusion)})
	}
	return ws.onPaper(d, "safety-notice-"+id)
}

// openNotices are the safety notices under which devices are open, each in a sentence.
func (ws *Workshop) openNotices() (words []string, err error) {
	notices, err := ws.Ledger.SafetyNotices()
	if err != nil {
		return nil, err
	}
	for _, n := range notices {
		if n.Closed != nil {
			continue
		}
		list, err := ws.reached(n)
		if err != nil {
			return nil, err
		}
		b := safetyBrief(n, list)
		if b.Open == 0 {
			continue
		}
		trouble := fmt.Sprintf("Safety notice %s of %s: %d of %d devices open", b.Number, b.Issuer, b.Open, b.Devices)
		if b.Until != nil {
			trouble += ", to be done by " + b.Until.Format(time.DateOnly)
		}
		words = append(words, trouble+".")
	}
	return words, nil
}
