package workshop

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"sync"
	"time"

	"northneedle/core/person"
	"northneedle/core/run"
	"northneedle/internal/capture"
	"northneedle/internal/instrument"
	"northneedle/internal/ledger"
)

// InstrumentBody is an instrument as it is registered or changed.
type InstrumentBody struct {
	Name      string            `json:"name" maxLength:"100"`
	Belongs   string            `json:"belongs,omitempty" maxLength:"40" doc:"tag of the reference or the device that it is; left out: it serves whatever needs its kind"`
	Profile   string            `json:"profile" maxLength:"60" doc:"id of the profile by which it is spoken to"`
	Transport string            `json:"transport" enum:"tcp,serial"`
	Address   string            `json:"address" maxLength:"200" doc:"host:port, or the name of a serial port"`
	Serial    instrument.Serial `json:"serial,omitempty" doc:"how the port is set, where that is not as the profile says"`
}

// NewInstrument is an instrument to register.
type NewInstrument struct {
	ID string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; a retry registers nothing twice"`
	InstrumentBody
}

// InstrumentView is an instrument and the state of its link.
type InstrumentView struct {
	ID string `json:"id"`
	InstrumentBody
	Kind    string        `json:"kind"`
	Retired bool          `json:"retired"`
	Link    *capture.Link `json:"link,omitempty" doc:"none: it is not connected"`
	Trouble string        `json:"trouble,omitempty" doc:"why it cannot be connected"`
	// Of the reference that it is.
	Reference string `json:"reference,omitempty" doc:"its name"`
	Due       *Day   `json:"due,omitempty" format:"date" doc:"the last day of its certificate"`
	Overdue   bool   `json:"overdue"`
}

// ProfileView is a profile that instruments can be spoken to by.
type ProfileView struct {
	ID     string             `json:"id"`
	Title  string             `json:"title"`
	Kind   string             `json:"kind"`
	TCP    bool               `json:"tcp"`
	Serial *instrument.Serial `json:"serial,omitempty" doc:"none: it has no serial port"`
	Own    bool               `json:"own" doc:"the lab's own"`
}

// links are the links of a workshop's instruments.
type links struct {
	mutex   sync.Mutex
	ctx     context.Context
	all     map[string]*instrument.Link // by instrument
	trouble map[string]string
}

// Connect links every instrument that is registered, until the context ends or the workshop does.
func (ws *Workshop) Connect(ctx context.Context) error {
	ws.links.ctx, ws.links.all, ws.links.trouble = ctx, map[string]*instrument.Link{}, map[string]string{}
	all, err := ws.Ledger.Instruments()
	if err != nil {
		return err
	}
	for _, i := range all {
		ws.connect(i)
	}
	return nil
}

// disconnect ends every link.
func (l *links) disconnect() {
	l.mutex.Lock()
	defer l.mutex.Unlock()
	for _, link := range l.all {
		link.Close()
	}
	l.all = nil
}

// connect links an instrument as it stands in the record, instead of as it was linked before.
func (ws *Workshop) connect(i ledger.Instrument) {
	ws.links.mutex.Lock()
	defer ws.links.mutex.Unlock()
	if ws.links.ctx == nil || ws.links.all == nil {
		return
	}
	if before := ws.links.all[i.ID]; before != nil {
		before.Close()
		delete(ws.links.all, i.ID)
		ws.Bench.Remove(i.ID)
	}
	delete(ws.links.trouble, i.ID)
	if i.Retired {
		return
	}
	p := instrument.Find(ws.Profiles, profileOf(i))
	if p == nil {
		ws.links.trouble[i.ID] = "There is no profile " + profileOf(i) + " any more: choose another."
		return
	}
	ws.links.all[i.ID] = ws.Bench.Connect(ws.links.ctx, capture.Connection{
		ID:      i.ID,
		Name:    i.Name,
		Belongs: i.Belongs,
		Address: addressOf(i),
		Profile: p,
	}, instrument.DefaultTiming)
}

func (ws *Workshop) link(id string) *instrument.Link {
	ws.links.mutex.Lock()
	defer ws.links.mutex.Unlock()
	return ws.links.all[id]
}

func profileOf(i ledger.Instrument) string {
	if i.Profile == "" {
		return i.Kind
	}
	return i.Profile
}

func addressOf(i ledger.Instrument) instrument.Address {
	a := instrument.Address{Transport: instrument.Transport(i.Transport), Where: i.Address}
	if a.Transport == "" {
		a.Transport = instrument.TCP
	}
	if i.Serial != "" {
		_ = json.Unmarshal([]byte(i.Serial), &a.Serial) // what cannot be read is as the profile says
	}
	return a
}

// ProfileList are the profiles that instruments can be spoken to by.
func (ws *Workshop) ProfileList() []ProfileView {
	all := []ProfileView{}
	for _, p := range ws.Profiles {
		all = append(all, ProfileView{ID: p.ID, Title: p.Title, Kind: p.Kind, TCP: p.Link.TCP, Serial: p.Link.Serial,
			Own: p.Own})
	}
	return all
}

// row checks an instrument that is entered or changed beside all others, and makes its row.
func (ws *Workshop) row(id string, b InstrumentBody, all []ledger.Instrument) (i ledger.Instrument,
	text *ledger.ProfileText, err error) {
	b.Name, b.Belongs = strings.TrimSpace(b.Name), strings.ToUpper(strings.TrimSpace(b.Belongs))
	p := instrument.Find(ws.Profiles, b.Profile)
	at := instrument.Address{Transport: instrument.Transport(b.Transport), Where: strings.TrimSpace(b.Address),
		Serial: b.Serial}
	switch {
	case b.Name == "":
		return i, nil, invalid("name", "Give the instrument a name: it stands beside every reading that comes through it.")
	case p == nil:
		return i, nil, invalid("profile", "There is no profile "+b.Profile+": choose one of the list.")
	case at.Transport != instrument.TCP && at.Transport != instrument.SerialPort:
		return i, nil, invalid("transport", "An instrument is on tcp or serial, not on “"+b.Transport+"”.")
	case at.Transport == instrument.TCP && !p.Link.TCP, at.Transport == instrument.SerialPort && p.Link.Serial == nil:
		return i, nil, invalid("transport", "An instrument of the profile “"+p.Title+"” is not connected that way.")
	}
	if err := at.Check(); err != nil {
		return i, nil, invalid("address", Sentence(err)+" Nothing was recorded.")
	}
	if err := ws.belongs(b.Belongs); err != nil {
		return i, nil, err
	}
	for _, other := range all {
		if other.ID != id && !other.Retired && addressOf(other).Transport == at.Transport && other.Address == at.Where {
			return i, nil, invalid("address", other.Name+" is connected there already: two cannot speak on one line.")
		}
		if other.ID != id && !other.Retired && b.Belongs != "" && other.Belongs == b.Belongs && other.Kind == p.Kind {
			return i, nil, invalid("belongs", b.Belongs+" is connected already, as “"+other.Name+
				"”: change that one, or retire it first.")
		}
	}
	serial := ""
	if at.Transport == instrument.SerialPort && at.Serial != (instrument.Serial{}) {
		set, err := json.Marshal(at.Serial)
		if err != nil {
			return i, nil, err
		}
		serial = string(set)
	}
	return ledger.Instrument{
		ID:          id,
		Name:        b.Name,
		Kind:        p.Kind,
		Belongs:     b.Belongs,
		Profile:     p.ID,
		ProfileHash: p.Hash,
		Transport:   b.Transport,
		Address:     at.Where,
		Serial:      serial,
	}, &ledger.ProfileText{Hash: p.Hash, ID: p.ID, Text: p.Text}, nil
}

// belongs refuses a tag that is neither a reference's nor a device's.
func (ws *Workshop) belongs(tag string) error {
	if tag == "" {
		return nil
	}
	_, err := ws.Ledger.Standard(tag)
	if errors.Is(err, ledger.ErrNotFound) {
		_, err = ws.Ledger.Asset(tag)
	}
	if errors.Is(err, ledger.ErrNotFound) {
		return invalid("belongs", "There is no reference and no device "+tag+": enter it first.")
	}
	return err
}

// RegisterInstrument registers an instrument and connects it.
func (ws *Workshop) RegisterInstrument(b NewInstrument, who person.Person) error {
	all, err := ws.Ledger.Instruments()
	if err != nil {
		return err
	}
	i, text, err := ws.row(b.ID, b.InstrumentBody, all)
	if err != nil {
		return err
	}
	if err := ws.Ledger.Record(ws.act(b.ID, "instrument registered", who, ""), &i, text); err != nil {
		return err
	}
	ws.connect(i)
	return nil
}

// ChangeInstrument changes how an instrument is connected, with a reason, and reconnects it. Its hold ends.
func (ws *Workshop) ChangeInstrument(id string, b InstrumentBody, why string, who person.Person) error {
	if _, err := ws.Ledger.Instrument(id); err != nil {
		return err
	}
	all, err := ws.Ledger.Instruments()
	if err != nil {
		return err
	}
	if strings.TrimSpace(why) == "" {
		return invalid("why", "Say why: what is changed here changes what later readings are of.")
	}
	i, text, err := ws.row(id, b, all)
	if err != nil {
		return err
	}
	if err := ws.Ledger.Record(ws.act("", "instrument changed", who, strings.TrimSpace(why)), &i, text); err != nil {
		return err
	}
	ws.connect(i)
	return nil
}

// RetireInstrument ends the link of an instrument for good.
func (ws *Workshop) RetireInstrument(id, why string, who person.Person) error {
	i, err := ws.Ledger.Instrument(id)
	if err != nil {
		return err
	}
	if strings.TrimSpace(why) == "" {
		return invalid("why", "Say why it is retired.")
	}
	i.Retired = true
	if err := ws.Ledger.Record(ws.act("", "instrument retired", who, strings.TrimSpace(why)), &i); err != nil {
		return err
	}
	ws.connect(i)
	return nil
}

// Instruments are all that are registered, those in use first.
func (ws *Workshop) Instruments() ([]InstrumentView, error) {
	rows, err := ws.Ledger.Instruments()
	if err != nil {
		return nil, err
	}
	all := []InstrumentView{}
	for _, i := range rows {
		all = append(all, ws.instrumentView(i))
	}
	slices.SortStableFunc(all, func(x, y InstrumentView) int {
		if x.Retired != y.Retired {
			return map[bool]int{true: 1, false: -1}[x.Retired]
		}
		return strings.Compare(x.Name+x.Belongs, y.Name+y.Belongs)
	})
	return all, nil
}

func (ws *Workshop) instrumentView(i ledger.Instrument) InstrumentView {
	at := addressOf(i)
	v := InstrumentView{
		ID: i.ID,
		InstrumentBody: InstrumentBody{
			Name:      i.Name,
			Belongs:   i.Belongs,
			Profile:   profileOf(i),
			Transport: string(at.Transport),
			Address:   i.Address,
			Serial:    at.Serial,
		},
		Kind:    i.Kind,
		Retired: i.Retired,
	}
	if link, ok := ws.Bench.Linked(i.ID); ok {
		v.Link = &link
	}
	ws.links.mutex.Lock()
	v.Trouble = ws.links.trouble[i.ID]
	ws.links.mutex.Unlock()
	if s, err := ws.Ledger.Standard(i.Belongs); err == nil && i.Belongs != "" {
		due := Day(s.Certificate.DueOn.Format(time.DateOnly))
		v.Reference, v.Due, v.Overdue = s.Name, &due, ws.days(s.Certificate.DueOn) < 0
	}
	return v
}

func refuse(code, words string) error {
	return &run.Refusal{Kind: run.Conflict, Code: code, Message: words}
}

// allowed refuses an instrument to a run while the device that it is is being prepared in a run of its own.
func (ws *Workshop) allowed(i capture.Instrument, r run.Run) error {
	if i.Belongs == "" || i.Belongs == r.Device.Tag {
		return nil
	}
	open, err := ws.Ledger.OpenOn(i.Belongs)
	if err != nil || open == nil {
		return err
	}
	return refuse("in-preparation", i.Name+" "+i.Belongs+" is being worked on itself: “"+open.Title+"” is open since "+
		open.OpenedAt.Format("15:04")+" by "+open.By+". End that run first, or take another.")
}
