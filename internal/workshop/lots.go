package workshop

import (
	"errors"
	"strings"
	"time"

	"northneedle/core/control"
	"northneedle/core/lot"
	"northneedle/core/person"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/internal/ledger"
)

// LotBody is a lot of a consumable to enter: its label as it was scanned, or the lot and
// its last day as they were typed.
type LotBody struct {
	ID      string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	Tag     string `json:"tag" minLength:"1" maxLength:"40"`
	Name    string `json:"name" minLength:"1" maxLength:"100"`
	Kind    string `json:"kind" minLength:"1" maxLength:"60"`
	Maker   string `json:"maker,omitempty" maxLength:"60"`
	Label   string `json:"label,omitempty" maxLength:"200" doc:"as a scanner types it"`
	Lot     string `json:"lot,omitempty" maxLength:"40"`
	Expires Day    `json:"expires,omitempty" format:"date" doc:"its last day"`
}

// ControlLotBody is a new lot of control material at one level.
type ControlLotBody struct {
	ID      string `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; sent again it changes nothing"`
	Analyte string `json:"analyte" minLength:"1" maxLength:"60"`
	Level   int    `json:"level" minimum:"1" maximum:"6"`
	Lot     string `json:"lot" minLength:"1" maxLength:"40"`
	Unit    string `json:"unit" minLength:"1" maxLength:"40" doc:"UCUM"`
	Mean    string `json:"mean" maxLength:"40" doc:"as it was typed"`
	SD      string `json:"sd" maxLength:"40"`
	Allowed string `json:"allowed,omitempty" maxLength:"40" doc:"total error allowed, percent"`
	Expires Day    `json:"expires,omitempty" format:"date" doc:"its last day"`
}

// ReadLabel reads a consumable's label.
func (ws *Workshop) ReadLabel(text string) (lot.Label, error) {
	label, err := lot.ReadLabel(text)
	if err != nil {
		return label, invalid("label", Sentence(err))
	}
	return label, nil
}

// EnterLot enters a lot of a consumable by its label, or as it was typed. Sent again it changes nothing.
func (ws *Workshop) EnterLot(b LotBody, who person.Person) error {
	label := lot.Label{Lot: strings.TrimSpace(b.Lot)}
	switch {
	case b.Label != "":
		var err error
		if label, err = lot.ReadLabel(b.Label); err != nil {
			return invalid("label", Sentence(err))
		}
		label.Expires = time.Date(label.Expires.Year(), label.Expires.Month(), label.Expires.Day(), 0, 0, 0, 0,
			ws.Clock().Location())
	case label.Lot == "" || b.Expires == "":
		return invalid("lot", "Scan the label, or type the lot and its last day.")
	default:
		label.Expires = ws.begin(b.Expires)
	}
	if ws.days(label.Expires) < 0 {
		return invalid("expires", "Lot "+label.Lot+" ran out on "+label.Expires.Format(time.DateOnly)+": set it aside.")
	}
	tag, err := ledger.Tag(b.Tag)
	if err != nil {
		return invalid("tag", Sentence(err))
	}
	if known, err := ws.Ledger.Standard(b.ID); err == nil && known.ID == b.ID { // sent again
		return nil
	}
	s := &ledger.Standard{ID: b.ID, Tag: tag, Name: b.Name, Kind: b.Kind, Maker: b.Maker, Serial: label.Serial,
		Place: "Workshop", Status: reference.Usable, Lot: label.Lot,
		Certificate: reference.Certificate{Number: "lot " + label.Lot, Issuer: "its label", On: ws.Clock(),
			DueOn: label.Expires}}
	certificate := &ledger.StandardCertificate{
		ID:          "cert-" + b.ID,
		StandardID:  s.ID,
		Certificate: s.Certificate,
		EnteredBy:   who.Name,
	}
	err = ws.Ledger.EnterStandard(ws.act(b.ID, "lot entered", who, ""), s, certificate)
	if errors.Is(err, ledger.ErrExists) {
		return invalid("tag", tag+" stands in the register already. Choose another tag.")
	}
	return err
}

// OpenControlLot opens a new lot of controls for an analyte. Sent again it changes nothing.
func (ws *Workshop) OpenControlLot(tag string, b ControlLotBody, who person.Person) error {
	a, err := ws.Ledger.Asset(tag)
	if err != nil {
		return err
	}
	if b.Expires == "" {
		return invalid("expires", "Type the lot's last day: it stands on its label.")
	}
	expires := ws.begin(b.Expires)
	known := ledger.ControlLot{
		ID:      b.ID,
		AssetID: a.ID,
		Analyte: b.Analyte,
		Level:   b.Level,
		Lot:     strings.TrimSpace(b.Lot),
		Unit:    b.Unit,
		From:    ws.Clock(),
		Expires: expires,
	}
	for field, text := range map[string]string{"mean": b.Mean, "sd": b.SD, "allowed": b.Allowed} {
		if field == "allowed" && strings.TrimSpace(text) == "" {
			continue
		}
		v, err := quantity.ParseNumber(text)
		if err != nil {
			return invalid(field, Sentence(err)+" Nothing was recorded.")
		}
		switch field {
		case "mean":
			known.Mean = v
		case "sd":
			known.SD = v
		default:
			known.Allowed = v
		}
	}
	if _, err := control.Z(known.Mean, known.Mean, known.SD); err != nil {
		return invalid("sd", Sentence(err))
	}
	if _, err := quantity.ParseUnit(b.Unit); err != nil {
		return invalid("unit", Sentence(err))
	}
	if ws.days(expires) < 0 {
		return invalid("expires", "This lot ran out already: set it aside.")
	}
	lots, err := ws.Ledger.ControlLots(a.ID, b.Analyte)
	if err != nil {
		return err
	}
	for _, other := range lots {
		switch {
		case other.ID == b.ID: // sent again
			return nil
		case other.Lot == known.Lot && other.Level == b.Level:
			return invalid("lot", "Lot "+known.Lot+" is open at this level already.")
		}
	}
	return ws.Ledger.Record(ws.act(b.ID, "control lot opened", who, ""), &known)
}
