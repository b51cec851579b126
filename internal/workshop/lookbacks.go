package workshop

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"northneedle/core/lookback"
	"northneedle/core/person"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/core/run"
	"northneedle/core/runview"
	"northneedle/internal/ledger"
)

// LookBackBrief is a look-back in the list.
type LookBackBrief struct {
	ID       string     `json:"id"`
	Kind     string     `json:"kind" enum:"device,reference,control"`
	Title    string     `json:"title"`
	Found    string     `json:"found"`
	Window   string     `json:"window"`
	Days     int        `json:"days" doc:"in doubt; 0 where its beginning is not known"`
	Risk     int        `json:"risk"`
	OpenedAt time.Time  `json:"opened_at"`
	OpenedBy string     `json:"opened_by"`
	ClosedAt *time.Time `json:"closed_at,omitempty"`
	Notices  int        `json:"notices"`
	Unsent   int        `json:"unsent"`
	Waiting  int        `json:"waiting" doc:"told, and no answer yet"`
}

// NoticeView is what an owner is told, and what they answered.
type NoticeView struct {
	ID         string     `json:"id"`
	To         string     `json:"to"`
	Tag        string     `json:"tag,omitempty"`
	Text       string     `json:"text"`
	SentAt     *time.Time `json:"sent_at,omitempty"`
	SentBy     string     `json:"sent_by,omitempty"`
	Answer     string     `json:"answer,omitempty"`
	AnsweredAt *time.Time `json:"answered_at,omitempty"`
	AnsweredBy string     `json:"answered_by,omitempty"`

	Mailable []Mailable  `json:"mailable" doc:"who is told of the device by mail, whoever is told of the fewest devices first; none where no mail is sent"`
	Letter   *LetterView `json:"letter,omitempty" doc:"the latest mail that tells it"`
}

// Mailable is somebody whom a notice can be sent to.
type Mailable struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Mail string `json:"mail"`
}

// TouchedRun is a run that rested on a reference, seen again.
type TouchedRun struct {
	Run     string     `json:"run"`
	Tag     string     `json:"tag"`
	Device  string     `json:"device"`
	Place   string     `json:"place"`
	At      time.Time  `json:"at"`
	Result  run.Result `json:"result"`
	Changed int        `json:"changed" doc:"points whose statement is another"`

	Unjudged string `json:"unjudged,omitempty" doc:"why it cannot be judged again"`

	Points []TouchedPoint `json:"points"`
}

// TouchedPoint is one of its points, before and after.
type TouchedPoint struct {
	Label    string  `json:"label"`
	Phase    string  `json:"phase" enum:"as found,as left"`
	Before   float64 `json:"before" doc:"error over its limit"`
	After    float64 `json:"after"`
	FanAfter float64 `json:"fan_after"`
	Changed  bool    `json:"changed"`
	Sentence string  `json:"sentence"`
}

// LookBackView is one look-back whole.
type LookBackView struct {
	LookBackBrief
	Asset      string                    `json:"asset,omitempty" doc:"tag"`
	Reference  string                    `json:"reference,omitempty" doc:"tag"`
	Run        string                    `json:"run,omitempty"`
	Analyte    string                    `json:"analyte,omitempty"`
	Use        string                    `json:"use"`
	Levels     []string                  `json:"levels"`
	Told       []NoticeView              `json:"told"`
	Touched    []TouchedRun              `json:"touched"`
	Devices    int                       `json:"devices" doc:"that rested on it"`
	DeviceDays int                       `json:"device_days" doc:"from each run whose verdict changes until now"`
	Known      *reference.ReferenceError `json:"known,omitempty"`
	ClosedBy   string                    `json:"closed_by,omitempty"`
	Conclusion string                    `json:"conclusion,omitempty"`
}

// ReferenceFound is a reference that was found out.
type ReferenceFound struct {
	ID       string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	Standard string `json:"standard" minLength:"1" maxLength:"60"`
	Quantity string `json:"quantity" minLength:"1" maxLength:"60"`
	Piece    string `json:"piece,omitempty" maxLength:"60" doc:"of a kit; empty: it is of all that it certifies for that quantity"`
	Error    string `json:"error" maxLength:"40" doc:"true less certified, as it was typed"`
	U        string `json:"u" maxLength:"40" doc:"expanded (k = 2) of that"`
	Unit     string `json:"unit" maxLength:"40"`
	Remove   bool   `json:"remove" doc:"take the error out; else into the uncertainty"`
	Found    string `json:"found" minLength:"1" maxLength:"500" doc:"how, by whom, against what"`

	Certificate string `json:"certificate,omitempty" maxLength:"100" doc:"number of the one that came with what was found: what rested on that or a later one stands. Empty: it was found on the one that counts"`
}

// NoticeOrder is what becomes of a notice.
type NoticeOrder struct {
	Kind   string `json:"kind" enum:"sent,answered,mail" doc:"mail: send it to a contact; it counts as sent when it was taken"`
	Text   string `json:"text,omitempty" maxLength:"8000" doc:"as it was sent"`
	To     string `json:"to,omitempty" maxLength:"40" doc:"id of the contact that it is sent to"`
	Answer string `json:"answer,omitempty" maxLength:"4000"`
}

// listedLookBacks is how many of each state are listed.
const listedLookBacks = 200

// LookBacks are those that are open, or those that are closed, the newest first.
func (ws *Workshop) LookBacks(ctx context.Context, closed bool) ([]LookBackBrief, error) {
	return remembered(ctx, ws, func() ([]LookBackBrief, error) {
		all, err := ws.Ledger.LookBacks(closed, listedLookBacks)
		briefs := make([]LookBackBrief, len(all))
		for i, b := range all {
			briefs[i] = lookBackBrief(b)
		}
		return briefs, err
	}, "look-backs", closed)
}

func lookBackBrief(b ledger.CountedLookBack) LookBackBrief {
	w := b.Window()
	v := LookBackBrief{
		ID:       b.ID,
		Kind:     b.Kind,
		Title:    b.Title,
		Found:    b.Found,
		Window:   w.Words(),
		Days:     w.Days(),
		Risk:     b.Risk,
		OpenedAt: b.OpenedAt,
		OpenedBy: b.OpenedBy,
		ClosedAt: b.ClosedAt,
		Notices:  b.Notices,
		Unsent:   b.Unsent,
		Waiting:  b.Waiting,
	}
	if b.Kind == ledger.OnReference {
		v.Window = fmt.Sprintf("every run since its last good certificate, %s", w.From.Format(time.DateOnly))
	}
	return v
}

// LookBack is one whole, with what it touches and who was told.
func (ws *Workshop) LookBack(id string) (LookBackView, error) {
	b, err := ws.Ledger.LookBack(id)
	if err != nil {
		return LookBackView{}, err
	}
	notices, err := ws.Ledger.Notices(id)
	if err != nil {
		return LookBackView{}, err
	}
	v := LookBackView{
		LookBackBrief: lookBackBrief(b),
		Run:           b.RunID,
		Analyte:       b.Analyte,
		Use:           lookback.UseOf(b.Risk),
		Levels:        []string{},
		Told:          []NoticeView{},
		Touched:       []TouchedRun{},
		Known:         b.Known,
		ClosedBy:      b.ClosedBy,
		Conclusion:    b.Conclusion,
	}
	for _, l := range b.Levels {
		v.Levels = append(v.Levels, l.Words())
	}
	if a, err := ws.Ledger.Asset(b.AssetID); err == nil && b.AssetID != "" {
		v.Asset = a.Tag
	}
	mailed, err := ws.lettersTelling(notices)
	if err != nil {
		return LookBackView{}, err
	}
	contacts, err := ws.Ledger.Contacts()
	if err != nil {
		return LookBackView{}, err
	}
	for _, n := range notices {
		told := NoticeView{
			Letter:     mailed[n.ID],
			Mailable:   []Mailable{},
			ID:         n.ID,
			To:         n.To,
			Text:       n.Text,
			SentAt:     n.SentAt,
			SentBy:     n.SentBy,
			Answer:     n.Answer,
			AnsweredAt: n.AnsweredAt,
			AnsweredBy: n.AnsweredBy,
		}
		if a, err := ws.Ledger.Asset(n.AssetID); err == nil {
			told.Tag = a.Tag
			if ws.Post != nil {
				for _, c := range toldOf(contacts, a) {
					told.Mailable = append(told.Mailable, Mailable{c.ID, c.Name, c.Mail})
				}
			}
		}
		v.Told = append(v.Told, told)
	}
	if b.Kind != ledger.OnReference {
		return v, nil
	}
	return v, ws.touched(&v, b.LookBack)
}

// touched fills in the runs that rested on a reference.
func (ws *Workshop) touched(v *LookBackView, b ledger.LookBack) error {
	s, err := ws.Ledger.Standard(b.StandardID)
	if err != nil {
		return err
	}
	v.Reference = s.Tag
	all, err := ws.Ledger.TouchedBy(*b.Known, *b.From)
	devices := map[string]bool{}
	for _, t := range all {
		devices[t.Run.AssetID] = true
		run := TouchedRun{
			Run:     t.Run.ID,
			Tag:     t.Run.Tag,
			Device:  t.Run.Device(),
			Place:   t.Run.Place + ", " + t.Run.Site,
			At:      t.Run.OpenedAt,
			Result:  t.Run.Result,
			Changed: t.Changed(),
			Points:  []TouchedPoint{},

			Unjudged: t.Unjudged,
		}
		for _, p := range t.Points {
			run.Points = append(run.Points, TouchedPoint{p.Label, string(p.Phase), p.Before.ErrorToLimit,
				p.After.ErrorToLimit, p.After.UToLimit, p.Changed, runview.ReassessedWords(p)})
		}
		if t.InDoubt() {
			v.DeviceDays += -ws.days(t.Run.OpenedAt)
		}
		v.Touched = append(v.Touched, run)
	}
	v.Devices = len(devices)
	return err
}

// ReferenceFound opens a look-back on a reference that was found out. Sent again it changes nothing.
func (ws *Workshop) ReferenceFound(f ReferenceFound, who person.Person) error {
	if known, err := ws.Ledger.LookBack(f.ID); err == nil && known.ID == f.ID { // sent again
		return nil
	}
	s, err := ws.Ledger.Standard(f.Standard)
	if err != nil {
		return err
	}
	k := reference.ReferenceError{Standard: s.ID, Quantity: f.Quantity, Piece: f.Piece, Unit: f.Unit, Remove: f.Remove}
	for field, text := range map[string]string{"error": f.Error, "u": f.U} {
		n, err := quantity.ParseNumber(text)
		if err != nil {
			return invalid(field, Sentence(err)+" Nothing was recorded.")
		}
		if field == "u" {
			k.U = n
		} else {
			k.Error = n
		}
	}
	if err := k.Check(); err != nil {
		return invalid("error", Sentence(err))
	}
	has, pieces := false, 0
	for _, line := range s.Values {
		_, err := quantity.Convert(k.Error, k.Unit, line.Unit)
		has = has || line.Quantity == k.Quantity && err == nil
		if line.Quantity == k.Quantity && line.Piece == k.Piece {
			pieces++
		}
	}
	if k.Piece != "" && pieces == 0 {
		return invalid("piece", s.Tag+" has no piece that is called “"+k.Piece+"”.")
	}
	if !has {
		return invalid("quantity", s.Tag+" certifies no "+f.Quantity+" in a unit like "+f.Unit+".")
	}
	since := s.Certificate.On
	if f.Certificate != "" {
		if since, k.Before, err = ws.betweenCertificates(s, f.Certificate); err != nil {
			return err
		}
	}
	_, err = ws.Ledger.OpenOnReference(f.ID, s, since, k, strings.TrimSpace(f.Found),
		ws.act(f.ID, "reference found out", who, strings.TrimSpace(f.Found)))
	ws.changes.tell("", 0)
	return err
}

// betweenCertificates is since when a reference is in doubt that was found out by the laboratory which issued a certificate:
// the day of the one before; and the day of that certificate itself, whose values know of it.
func (ws *Workshop) betweenCertificates(s ledger.Standard, number string) (since time.Time, until *time.Time, err error) {
	all, err := ws.Ledger.Certificates(s.ID)
	if err != nil {
		return since, nil, err
	}
	at := slices.IndexFunc(all, func(c ledger.StandardCertificate) bool { return c.Certificate.Number == number })
	if at < 1 {
		return since, nil, invalid("certificate", "There is no certificate "+number+" of "+s.Tag+" with one before it.")
	}
	return all[at-1].Certificate.On, &all[at].Certificate.On, nil
}

// ChangeNotice notes that a notice was sent, or what its owner answered.
func (ws *Workshop) ChangeNotice(id, notice string, o NoticeOrder, who person.Person) error {
	b, err := ws.Ledger.LookBack(id)
	if err != nil {
		return err
	}
	if b.ClosedAt != nil {
		return &run.Refusal{Kind: run.Conflict, Code: "closed", Message: "This look-back is closed."}
	}
	notices, err := ws.Ledger.Notices(id)
	if err != nil {
		return err
	}
	for _, n := range notices {
		if n.ID != notice {
			continue
		}
		now := ws.Clock()
		switch {
		case o.Kind != "answered" && strings.TrimSpace(o.Text) == "":
			return invalid("text", "Say what was sent.")
		case o.Kind == "mail":
			return ws.mailNotice(b, n, o, who)
		case o.Kind == "sent":
			n.Text, n.SentAt, n.SentBy = o.Text, &now, who.Name
		case strings.TrimSpace(o.Answer) == "":
			return invalid("answer", "Write what the owner answered, even if nothing depended on it.")
		default:
			n.Answer, n.AnsweredAt, n.AnsweredBy = strings.TrimSpace(o.Answer), &now, who.Name
		}
		return ws.Ledger.SaveLookBack(ws.act("", "notice "+o.Kind, who, ""), &b.LookBack, n)
	}
	return ledger.ErrNotFound
}

// CloseLookBack closes a look-back when everyone has answered, with what came of it.
func (ws *Workshop) CloseLookBack(id, conclusion string, who person.Person) error {
	b, err := ws.Ledger.LookBack(id)
	if err != nil || b.ClosedAt != nil {
		return err
	}
	notices, err := ws.Ledger.Notices(id)
	if err != nil {
		return err
	}
	told := make([]lookback.Answered, len(notices))
	for i, n := range notices {
		told[i] = lookback.Answered{To: n.To, Done: n.AnsweredAt != nil}
	}
	switch field, why := lookback.MayClose(told, conclusion); {
	case field != "":
		return invalid(field, why)
	case why != "":
		return &run.Refusal{Kind: run.Conflict, Code: "unanswered", Message: why}
	}
	now := ws.Clock()
	b.ClosedAt, b.ClosedBy, b.Conclusion = &now, who.Name, strings.TrimSpace(conclusion)
	return ws.Ledger.SaveLookBack(ws.act("", "look-back closed", who, b.Conclusion), &b.LookBack)
}

// controlRejected opens a look-back on an analyte from the last accepted control, where
// none is open.
func (ws *Workshop) controlRejected(a ledger.Asset, chart ControlChart, who person.Person) error {
	open, err := ws.Ledger.LookBacksOn(a.ID)
	if err != nil {
		return err
	}
	for _, b := range open {
		if b.Kind == ledger.OnControl && b.Analyte == chart.Analyte {
			return nil
		}
	}
	last := chart.Runs[len(chart.Runs)-1]
	lab, err := ws.Lab()
	if err != nil {
		return err
	}
	subject := lookback.Subject{
		Lab:    lab.Name,
		Tag:    a.Tag,
		Device: a.Maker + " " + a.Model,
		Place:  a.Place + ", " + a.Site,
		Risk:   a.Risk,
	}
	b := ledger.LookBack{
		ID:       "lb-control-" + last.ID,
		Kind:     ledger.OnControl,
		AssetID:  a.ID,
		Analyte:  chart.Analyte,
		From:     chart.LastGood,
		Until:    last.At,
		Risk:     a.Risk,
		OpenedAt: last.At,
		OpenedBy: who.Name,
	}
	var levels []lookback.ControlLevel
	for _, p := range last.Points {
		for _, l := range chart.Levels {
			if l.Level == p.Level {
				levels = append(levels, lookback.ControlLevel{Level: p.Level, Value: p.Value, Mean: l.Mean, Z: p.Z})
			}
		}
	}
	opening := lookback.OnControl(subject, b.Window(), chart.Analyte, chart.Words, levels)
	b.Title, b.Found = opening.Title, opening.Found
	return ws.Ledger.SaveLookBack(ws.act(b.ID, "look-back opened", who, b.Found), &b, ledger.Notice{
		ID:         b.ID + "-owner",
		LookBackID: b.ID,
		AssetID:    a.ID,
		To:         subject.Place,
		Text:       opening.Text,
	})
}
