package workshop

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"northneedle/internal/instrument"
)

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
	ByHand  bool       `json:"by_hand" doc:"it is set by its own menu only"`
	Says    string     `json:"says,omitempty"`
	At      *time.Time `json:"at,omitempty"`
	Private bool       `json:"simulated" doc:"only simulated instruments have it"`
}

// InstrumentTry is something to try with an instrument: one of the four.
type InstrumentTry struct {
	Line    string `json:"line,omitempty" maxLength:"200" doc:"a line to send as it is"`
	Act     string `json:"act,omitempty" maxLength:"60"`
	Setting string `json:"setting,omitempty" maxLength:"60"`
	Value   string `json:"value,omitempty" maxLength:"100" doc:"of the setting"`
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
	p := instrument.Find(ws.Profiles, profileOf(i))
	if p == nil {
		return d, nil
	}
	d.ProfileTitle, d.Note, d.Hash, d.Never = p.Title, p.Note, p.Hash, append(d.Never, p.Never...)
	if d.Transport == string(instrument.SerialPort) {
		d.Line = addressOf(i).Serial.Words(p.Link.Serial)
	}
	link := ws.link(id)
	if link != nil {
		// Whoever looks at the instrument sees what it sends; that it does not answer is said by its state.
		go link.Listen(context.Background())
	}
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
		v := SettingView{ID: s.ID, Reads: s.Read != nil, ByHand: s.Send == "", Private: s.Simulated}
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
		byHand, err = link.Set(ctx, map[string]string{t.Setting: t.Value}, nil)
		if len(byHand) > 0 {
			err = errors.New("its profile cannot set " + t.Setting + ": it is set at the instrument itself")
		}
		answer = link.Reported()[t.Setting].Value
	case strings.TrimSpace(t.Line) != "":
		answer, err = link.Try(ctx, strings.TrimSpace(t.Line))
	default:
		return "", invalid("line", "Write a line to send, or choose an act or a setting.")
	}
	link.Settle("") // whatever a point had it set to, it is to be set again
	if err != nil {
		return "", refuse("not-done", Sentence(err))
	}
	return answer, nil
}
