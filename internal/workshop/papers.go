package workshop

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"northneedle/core/device"
	"northneedle/core/run"
	"northneedle/internal/ledger"
	"northneedle/internal/paper"
	"northneedle/internal/seal"
)

// Standing says whether a paper that is genuine still counts.
type Standing string

// The standings of a paper.
const (
	Stands   Standing = "stands"
	CountsNo Standing = "counts no more"
	Unknown  Standing = "not known" // neither the record nor a list says so
	HeldBack Standing = "not countersigned"
)

// PaperView is a paper that was checked.
type PaperView struct {
	Finding  paper.Finding `json:"finding"`
	Where    []string      `json:"where" doc:"what is not as it was issued"`
	Number   string        `json:"number,omitempty"`
	Lab      string        `json:"lab,omitempty"`
	Run      string        `json:"run,omitempty"`
	Revision int           `json:"revision,omitempty"`
	Signed   *time.Time    `json:"signed,omitempty"`
	By       string        `json:"by,omitempty"`
	Key      string        `json:"key,omitempty" doc:"the public key that it holds by"`
	Standing Standing      `json:"standing"`
	Why      string        `json:"why,omitempty" doc:"why it counts no more"`

	Device *device.Standing `json:"device,omitempty" doc:"how the device stands today, whatever the paper says of its day"`
}

// ReplacedPaper is a certificate that counts no more.
type ReplacedPaper struct {
	Run      string `json:"run"`
	Revision int    `json:"revision"`
	Why      string `json:"why"`
}

// ReplacedList is every certificate of a workshop that counts no more, at a moment.
type ReplacedList struct {
	Lab    string          `json:"lab"`
	At     time.Time       `json:"at"`
	Papers []ReplacedPaper `json:"papers"`
}

// PublicKeys is what papers of a workshop are checked by, anywhere.
type PublicKeys struct {
	Lab  string        `json:"lab"`
	Keys []seal.Public `json:"keys"`
}

// ViewOfPaper shows a checked paper; whether it still stands is not known by it.
func ViewOfPaper(c paper.Checked) PaperView {
	v := PaperView{Finding: c.Finding, Where: c.Where, Standing: Unknown, Key: c.Key}
	if v.Where == nil {
		v.Where = []string{}
	}
	if c.Finding != paper.NotOurs {
		p := c.Proof
		v.Number, v.Lab, v.Run, v.Revision, v.Signed, v.By = p.Number, p.Lab, p.Run, p.Revision, &p.Signed, p.By
		if p.Void != "" {
			v.Standing, v.Why = CountsNo, p.Void
		}
	}
	return v
}

// CheckPaper holds a paper against what is signed in it, and asks the record whether it still stands.
func (ws *Workshop) CheckPaper(pdf []byte) (v PaperView, err error) {
	keys, err := ws.Keys()
	if err != nil {
		return v, err
	}
	v = ViewOfPaper(paper.Check(pdf, func(signed string) ([]byte, string, error) { return seal.Open(signed, keys) }))
	if v.Run == "" {
		return v, nil
	}
	r, err := ws.Ledger.Run(v.Run)
	if errors.Is(err, ledger.ErrNotFound) {
		v.Why = "The run is not in this record."
		return v, nil
	}
	if err != nil {
		return v, err
	}
	v.Standing, v.Why = Stands, ""
	state, err := ws.state(r.Device.ID)
	if err != nil {
		return v, err
	}
	v.Device = &state
	why, err := ws.counts(r, v.Revision)
	switch {
	case err != nil:
		return v, err
	case why != "":
		v.Standing, v.Why = CountsNo, why
	case r.Status != run.Signed:
		v.Standing, v.Why = HeldBack, "The run is "+string(r.Status)+": the paper is a draft."
	}
	return v, nil
}

// counts says why a revision of a run's certificate counts no more; empty where it does.
func (ws *Workshop) counts(r run.Run, revision int) (string, error) {
	row, err := ws.Ledger.RunRow(r.ID)
	if err != nil {
		return "", err
	}
	latest := len(r.Revisions) + 1
	switch {
	case row.ReplacedBy != "":
		return "It is replaced by the run " + row.ReplacedBy + ".", nil
	case revision < latest:
		return fmt.Sprintf("It is superseded by revision %d of %s.", latest,
			r.Revisions[latest-2].At.Format(time.DateOnly)), nil
	}
	return "", nil
}

// PublicKeysFile is what papers are checked by, for whoever is handed them.
func (ws *Workshop) PublicKeysFile() (f File, err error) {
	keys, err := ws.Keys()
	if err != nil {
		return f, err
	}
	lab, err := ws.Lab()
	if err != nil {
		return f, err
	}
	text, err := json.MarshalIndent(PublicKeys{lab.Name, keys}, "", " ")
	return File{Name: "public-keys.json", Type: "application/json", Body: append(text, '\n'), Save: true}, err
}

// ReplacedFile is the signed list of every certificate that counts no more.
func (ws *Workshop) ReplacedFile() (f File, err error) {
	if ws.Seal == nil {
		return f, ledger.ErrNotFound
	}
	lab, err := ws.Lab()
	if err != nil {
		return f, err
	}
	list := ReplacedList{Lab: lab.Name, At: ws.Clock().UTC(), Papers: []ReplacedPaper{}}
	rows, err := ws.Ledger.Reissued()
	if err != nil {
		return f, err
	}
	for _, id := range rows {
		r, err := ws.Ledger.Run(id)
		if err != nil {
			return f, err
		}
		for revision := 1; revision <= len(r.Revisions)+1; revision++ {
			why, err := ws.counts(r, revision)
			if err != nil {
				return f, err
			}
			if why != "" {
				list.Papers = append(list.Papers, ReplacedPaper{id, revision, why})
			}
		}
	}
	signed, err := ws.Seal.Sign(list)
	return File{Name: "papers-that-count-no-more.jws", Type: "application/jose", Body: []byte(signed + "\n"), Save: true}, err
}

// StandsBy says of a checked paper whether it still stands by a signed list of those that do not.
func (v *PaperView) StandsBy(signed string, keys []seal.Public) error {
	payload, _, err := seal.Open(signed, keys)
	if err != nil {
		return fmt.Errorf("the list of papers that count no more: %w", err)
	}
	var list ReplacedList
	if err := json.Unmarshal(payload, &list); err != nil {
		return fmt.Errorf("the list of papers that count no more: %w", err)
	}
	if v.Run == "" || v.Standing == CountsNo {
		return nil
	}
	v.Standing, v.Why = Stands, "by the list of "+list.At.Local().Format("2006-01-02 15:04")
	at := slices.IndexFunc(list.Papers, func(p ReplacedPaper) bool { return p.Run == v.Run && p.Revision == v.Revision })
	if at >= 0 {
		v.Standing, v.Why = CountsNo, list.Papers[at].Why
	}
	if v.Signed != nil && v.Signed.After(list.At) {
		v.Standing, v.Why = Unknown, "The list is older than the paper."
	}
	return nil
}
