package api

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"time"

	"northneedle/core/control"
	"northneedle/core/lot"
	"northneedle/core/person"
	"northneedle/core/quantity"
	"northneedle/core/reference"
	"northneedle/internal/ledger"

	"github.com/danielgtaylor/huma/v2"
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
	Expires Day    `json:"expires,omitempty" doc:"its last day"`
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
	Expires Day    `json:"expires,omitempty" doc:"its last day"`
}

func registerLots(api huma.API, h *House) {
	serve(api, operation{"read-label", http.MethodPost, "/api/lots/label", "Read a consumable's label",
		person.EnterLots, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Label string `json:"label" minLength:"1" maxLength:"200"`
			}
		}) (out lot.Label, err error) {
			label, err := lot.ReadLabel(in.Body.Label)
			if err != nil {
				return out, invalid("label", sentence(err))
			}
			return label, nil
		})
	serve(api, operation{"enter-lot", http.MethodPost, "/api/lots", "Enter a lot of a consumable", person.EnterLots, 0,
		nil},
		func(ctx context.Context, in *struct{ Body LotBody }) (out ReferenceView, err error) {
			if err := h.enterLot(in.Body, who(ctx)); err != nil {
				return out, err
			}
			view, err := h.reference(ctx, strings.ToUpper(strings.TrimSpace(in.Body.Tag)))
			return view, err
		})
	serve(api, operation{"open-control-lot", http.MethodPost, "/api/controls/{asset}/lots",
		"Open a new lot of controls", person.EnterLots, 0, nil},
		func(ctx context.Context, in *struct {
			Asset string `path:"asset" maxLength:"60"`
			Body  ControlLotBody
		}) (out ControlChart, err error) {
			if err := h.openControlLot(in.Asset, in.Body, who(ctx)); err != nil {
				return out, err
			}
			chart, err := h.controlChart(in.Asset, in.Body.Analyte, 730)
			return chart, err
		})
}

func (h *House) enterLot(b LotBody, who person.Person) error {
	label := lot.Label{Lot: strings.TrimSpace(b.Lot)}
	switch {
	case b.Label != "":
		var err error
		if label, err = lot.ReadLabel(b.Label); err != nil {
			return invalid("label", sentence(err))
		}
		label.Expires = time.Date(label.Expires.Year(), label.Expires.Month(), label.Expires.Day(), 0, 0, 0, 0,
			h.Clock().Location())
	case label.Lot == "" || b.Expires == "":
		return invalid("lot", "Scan the label, or type the lot and its last day.")
	default:
		label.Expires = h.begin(b.Expires)
	}
	if h.days(label.Expires) < 0 {
		return invalid("expires", "Lot "+label.Lot+" ran out on "+label.Expires.Format(time.DateOnly)+": set it aside.")
	}
	tag, err := ledger.Tag(b.Tag)
	if err != nil {
		return invalid("tag", sentence(err))
	}
	if known, err := h.Ledger.Standard(b.ID); err == nil && known.ID == b.ID { // sent again
		return nil
	}
	s := &ledger.Standard{ID: b.ID, Tag: tag, Name: b.Name, Kind: b.Kind, Maker: b.Maker, Serial: label.Serial,
		Place: "Workshop", Status: reference.Usable, Lot: label.Lot,
		Certificate: reference.Certificate{Number: "lot " + label.Lot, Issuer: "its label", On: h.Clock(),
			DueOn: label.Expires}}
	certificate := &ledger.StandardCertificate{
		ID:          "cert-" + b.ID,
		StandardID:  s.ID,
		Certificate: s.Certificate,
		EnteredBy:   who.Name,
	}
	err = h.Ledger.EnterStandard(h.act(b.ID, "lot entered", who, ""), s, certificate)
	if errors.Is(err, ledger.ErrExists) {
		return invalid("tag", tag+" stands in the register already. Choose another tag.")
	}
	return err
}

func (h *House) openControlLot(tag string, b ControlLotBody, who person.Person) error {
	a, err := h.Ledger.Asset(tag)
	if err != nil {
		return err
	}
	if b.Expires == "" {
		return invalid("expires", "Type the lot's last day: it stands on its label.")
	}
	expires := h.begin(b.Expires)
	known := ledger.ControlLot{
		ID:      b.ID,
		AssetID: a.ID,
		Analyte: b.Analyte,
		Level:   b.Level,
		Lot:     strings.TrimSpace(b.Lot),
		Unit:    b.Unit,
		From:    h.Clock(),
		Expires: expires,
	}
	for field, text := range map[string]string{"mean": b.Mean, "sd": b.SD, "allowed": b.Allowed} {
		if field == "allowed" && strings.TrimSpace(text) == "" {
			continue
		}
		v, err := quantity.ParseNumber(text)
		if err != nil {
			return invalid(field, sentence(err)+" Nothing was recorded.")
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
		return invalid("sd", sentence(err))
	}
	if _, err := quantity.ParseUnit(b.Unit); err != nil {
		return invalid("unit", sentence(err))
	}
	if h.days(expires) < 0 {
		return invalid("expires", "This lot ran out already: set it aside.")
	}
	lots, err := h.Ledger.ControlLots(a.ID, b.Analyte)
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
	return h.Ledger.Record(h.act(b.ID, "control lot opened", who, ""), &known)
}
