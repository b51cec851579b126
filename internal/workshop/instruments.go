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

// InstrumentDetail is an instrument with all that its profile knows, and what it shows now.
type InstrumentDetail struct {
	InstrumentView
	ProfileTitle string        `json:"profile_title"`
	Note         string        `json:"note,omitempty"`
	Hash         string        `json:"hash" doc:"of the profile's text"`
	Channels     []ChannelView `json:"channels"`
	Settings     []SettingView `json:"settings"`
	Acts         []string      `json:"acts"`
	Never        []string      `json:"never" doc:"beginnings of what is never sent to it"`
	Certificate  string        `json:"certificate,omitempty" doc:"number of its certificate"`
	Simulated    bool          `json:"simulated"`
	Line         string        `json:"line,omitempty" doc:"how the serial port is set in the end, in words"`
}

// ChannelView is a channel of an instrument, and its last reading.
type ChannelView struct {
	ID       string   `json:"id"`
	Quantity string   `json:"quantity"`
	Unit     string   `json:"unit"`
	Value    *float64 `json:"value,omitempty"`
	Age      float64  `json:"age" doc:"seconds since it came; nothing came: 3600"`
	Stale    float64  `json:"stale" doc:"older than so many seconds it is no reading of now"`
	Moving   bool     `json:"moving" doc:"the instrument itself says that it does not stand"`
	Key      bool     `json:"key" doc:"it comes only at the instrument's own key"`
}

// SettingView is a setting of an instrument, and what it reports.
type SettingView struct {
	ID      string     `json:"id"`
	Reads   bool       `json:"reads" doc:"it can be read back"`
	Says    string     `json:"says,omitempty"`
	At      *time.Time `json:"at,omitempty"`
	Private bool       `json:"simulated" doc:"only simulated instruments have it"`
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

// InstrumentTry is something to try with an instrument: one of the four.
type InstrumentTry struct {
	Line    string `json:"line,omitempty" maxLength:"200" doc:"a line to send as it is"`
	Act     string `json:"act,omitempty" maxLength:"60"`
	Setting string `json:"setting,omitempty" maxLength:"60"`
	Value   string `json:"value,omitempty" maxLength:"100" doc:"of the setting"`
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
	p := ws.profile(profileOf(i))
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

// profile is the one with an id; nil where there is none.
func (ws *Workshop) profile(id string) *instrument.Profile {
	at := slices.IndexFunc(ws.Profiles, func(p *instrument.Profile) bool { return p.ID == id })
	if at < 0 {
		return nil
	}
	return ws.Profiles[at]
}

// ProfileList are the profiles that instruments can be spoken to by.
func (ws *Workshop) ProfileList() []ProfileView {
	all := []ProfileView{}
	for _, p := range ws.Profiles {
		all = append(all, ProfileView{ID: p.ID, Title: p.Title, Kind: p.Kind, TCP: p.Link.TCP, Serial: p.Link.Serial, Own: p.Own})
	}
	return all
}

// row checks an instrument that is entered or changed, and makes its row.
func (ws *Workshop) row(id string, b InstrumentBody) (i ledger.Instrument, text *ledger.ProfileText, err error) {
	b.Name, b.Belongs = strings.TrimSpace(b.Name), strings.ToUpper(strings.TrimSpace(b.Belongs))
	p := ws.profile(b.Profile)
	at := instrument.Address{Transport: instrument.Transport(b.Transport), Where: strings.TrimSpace(b.Address),
		Serial: b.Serial}
	switch {
	case b.Name == "":
		return i, nil, invalid("name", "Give the instrument a name: it stands beside every reading that comes through it.")
	case p == nil:
		return i, nil, invalid("profile", "There is no profile "+b.Profile+": choose one of the list.")
	case at.Transport == instrument.TCP && !p.Link.TCP, at.Transport == instrument.SerialPort && p.Link.Serial == nil:
		return i, nil, invalid("transport", "An instrument of the profile “"+p.Title+"” is not connected that way.")
	}
	if err := at.Check(); err != nil {
		return i, nil, invalid("address", sentence(err)+" Nothing was recorded.")
	}
	if err := ws.belongs(b.Belongs); err != nil {
		return i, nil, err
	}
	all, err := ws.Ledger.Instruments()
	if err != nil {
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
	i, text, err := ws.row(b.ID, b.InstrumentBody)
	if err != nil {
		return err
	}
	if err := ws.Ledger.Record(ws.act(b.ID, "instrument registered", who, ""), &i, text); err != nil {
		return err
	}
	ws.connect(i)
	return nil
}

// ChangeInstrument changes an instrument, with a reason, and connects it anew. It is let go of by whoever held it.
func (ws *Workshop) ChangeInstrument(id string, b InstrumentBody, why string, who person.Person) error {
	if _, err := ws.Ledger.Instrument(id); err != nil {
		return err
	}
	if strings.TrimSpace(why) == "" {
		return invalid("why", "Say why: what is changed here changes what later readings are of.")
	}
	i, text, err := ws.row(id, b)
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

// Instrument is one instrument with all that its profile knows, and what it shows now.
func (ws *Workshop) Instrument(id string) (d InstrumentDetail, err error) {
	i, err := ws.Ledger.Instrument(id)
	if err != nil {
		return d, err
	}
	d = InstrumentDetail{InstrumentView: ws.instrumentView(i), Channels: []ChannelView{}, Settings: []SettingView{},
		Acts: []string{}, Never: []string{}}
	if s, err := ws.Ledger.Standard(i.Belongs); err == nil && i.Belongs != "" {
		d.Certificate = s.Certificate.Number
	}
	p := ws.profile(profileOf(i))
	if p == nil {
		return d, nil
	}
	d.ProfileTitle, d.Note, d.Hash, d.Never = p.Title, p.Note, p.Hash, append(d.Never, p.Never...)
	if d.Transport == string(instrument.SerialPort) {
		d.Line = addressOf(i).Serial.Words(p.Link.Serial)
	}
	link := ws.link(id)
	for _, c := range p.Channels {
		v := ChannelView{ID: c.ID, Quantity: c.Quantity, Unit: c.Unit, Key: c.Key, Age: 3600}
		if link != nil {
			age, period, moving := link.Freshness(c.ID)
			v.Age, v.Stale, v.Moving = age.Seconds(), max(2*time.Second, 3*period).Seconds(), moving
			if samples, _ := link.Samples(c.ID, 0); len(samples) > 0 {
				v.Value = &samples[len(samples)-1].V
			}
		}
		d.Channels = append(d.Channels, v)
	}
	var says map[string]instrument.Reported
	if link != nil {
		says, d.Simulated = link.Reported(), link.Status().Simulated()
	}
	for _, s := range p.Settings {
		v := SettingView{ID: s.ID, Reads: s.Read != nil, Private: s.Simulated}
		if r, ok := says[s.ID]; ok {
			v.Says, v.At = r.Value, &r.At
		}
		d.Settings = append(d.Settings, v)
	}
	for name := range p.Acts {
		d.Acts = append(d.Acts, name)
	}
	slices.Sort(d.Acts)
	return d, nil
}

// InstrumentConsole is what was sent to an instrument and what came, after the line with a number.
func (ws *Workshop) InstrumentConsole(id string, after int) ([]instrument.ConsoleLine, error) {
	if _, err := ws.Ledger.Instrument(id); err != nil {
		return nil, err
	}
	if link := ws.link(id); link != nil {
		return link.Console(after), nil
	}
	return []instrument.ConsoleLine{}, nil
}

// TryInstrument sends something to an instrument that no run holds, and gives what came back.
func (ws *Workshop) TryInstrument(ctx context.Context, id string, t InstrumentTry) (answer string, err error) {
	if _, err := ws.Ledger.Instrument(id); err != nil {
		return "", err
	}
	link := ws.link(id)
	if link == nil {
		return "", refuse("not-connected", "It is not connected: nothing was sent.")
	}
	if h, held := ws.Bench.Holder(id); held {
		return "", refuse("held", h.Name+" holds it for "+h.Device+" since "+h.Since.Format("15:04")+
			": nothing was sent. Try it when that point is read.")
	}
	switch {
	case t.Act != "":
		err = link.Act(ctx, t.Act)
	case t.Setting != "":
		var byHand []string
		byHand, err = link.Set(ctx, map[string]string{t.Setting: t.Value})
		if len(byHand) > 0 {
			err = errors.New("its profile knows no setting " + t.Setting)
		}
		answer = link.Reported()[t.Setting].Value
	case strings.TrimSpace(t.Line) != "":
		answer, err = link.Try(ctx, strings.TrimSpace(t.Line))
	default:
		return "", invalid("line", "Write a line to send, or choose an act or a setting.")
	}
	link.Settle("") // whatever a point had it set to, it is to be set again
	if err != nil {
		return "", refuse("not-done", sentence(err))
	}
	return answer, nil
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
