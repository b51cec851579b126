package workshop

import (
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"image"
	_ "image/jpeg" // a logo may be one
	_ "image/png"
	"slices"
	"strings"

	"northneedle/core/person"
	"northneedle/core/procedure"
	"northneedle/core/run"
	"northneedle/internal/ledger"
)

// What a logo may be at most: its bytes, and its sides in pixels.
const (
	logoBytes  = 200_000
	logoPixels = 2000
)

// LetterheadOrder is what a lab's papers carry from now on.
type LetterheadOrder struct {
	Address       string            `json:"address" maxLength:"400"`
	Accreditation run.Accreditation `json:"accreditation"`
}

// LogoOrder is a picture for a lab's papers.
type LogoOrder struct {
	Picture string `json:"picture" maxLength:"280000" contentEncoding:"base64" doc:"PNG or JPEG, at most 200 kB; empty: none"`
}

// SetLetterhead sets address and accreditation, as papers of runs opened from then on carry them.
func (ws *Workshop) SetLetterhead(o LetterheadOrder, who person.Person) error {
	lab, err := ws.Lab()
	if err != nil {
		return err
	}
	if err := o.Accreditation.Check(); err != nil {
		return invalid("accreditation", Sentence(err))
	}
	for _, s := range o.Accreditation.Scope {
		known := func(p *procedure.Procedure) bool { return p.ID == s.Procedure && p.Measure(s.Measure) != nil }
		if !slices.ContainsFunc(ws.procedures(), known) {
			return invalid("accreditation", "There is no measure "+s.Measure+" in a procedure "+s.Procedure+".")
		}
	}
	lab.Letterhead.Address, lab.Letterhead.Accreditation = strings.TrimSpace(o.Address), o.Accreditation
	return ws.Ledger.SetSetting(ws.act("", "letterhead set", who, ""), "lab", lab)
}

// SetLogo keeps a picture, by its hash, for the papers of runs opened from then on.
func (ws *Workshop) SetLogo(o LogoOrder, who person.Person) error {
	lab, err := ws.Lab()
	if err != nil {
		return err
	}
	lab.Letterhead.Logo = ""
	if o.Picture != "" {
		raw, err := base64.StdEncoding.DecodeString(o.Picture)
		if err != nil || len(raw) > logoBytes {
			return invalid("picture", "The logo is a PNG or a JPEG of at most 200 kB.")
		}
		size, kind, err := image.DecodeConfig(bytes.NewReader(raw))
		if err != nil || kind != "png" && kind != "jpeg" {
			return invalid("picture", "This is no picture that can be read: the logo is a PNG or a JPEG.")
		}
		if size.Width > logoPixels || size.Height > logoPixels {
			return invalid("picture", "The logo is at most 2000 pixels wide and high.")
		}
		if _, _, err := image.Decode(bytes.NewReader(raw)); err != nil {
			return invalid("picture", "This picture is damaged: choose another.")
		}
		sum := sha256.Sum256(raw)
		lab.Letterhead.Logo = hex.EncodeToString(sum[:16])
		if err := ws.Ledger.SetSetting(ws.act("", "logo kept", who, ""), logoKey(lab.Letterhead.Logo), raw); err != nil {
			return err
		}
	}
	return ws.Ledger.SetSetting(ws.act("", "letterhead set", who, ""), "lab", lab)
}

func logoKey(hash string) string { return "logo-" + hash }

// Logo is a picture that papers carry, by its hash.
func (ws *Workshop) Logo(hash string) (f File, err error) {
	if err := ws.Ledger.Setting(logoKey(hash), &f.Body); err != nil {
		return f, err
	}
	if len(f.Body) == 0 {
		return f, ledger.ErrNotFound
	}
	_, kind, err := image.DecodeConfig(bytes.NewReader(f.Body))
	f.Name, f.Type = "logo."+kind, "image/"+kind
	return f, err
}
