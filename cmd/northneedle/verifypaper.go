package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strings"

	"northneedle/internal/paper"
	"northneedle/internal/seal"
	"northneedle/internal/workshop"
)

type verifyPaper struct {
	File     string `arg:"" type:"existingfile" help:"Certificate as PDF."`
	Public   string `required:"" type:"existingfile" help:"The workshop's public keys: public-keys.json, from House, The record."`
	Replaced string `type:"existingfile" help:"The workshop's signed list of papers that count no more."`
}

// errPaper says that a paper is not as it was issued; why was printed.
var errPaper = errors.New("the paper is not to be relied on")

// Run checks a paper.
func (v verifyPaper) Run() error {
	pdf, err := os.ReadFile(v.File)
	if err != nil {
		return err
	}
	text, err := os.ReadFile(v.Public)
	if err != nil {
		return err
	}
	var known workshop.PublicKeys
	if err := json.Unmarshal(text, &known); err != nil || len(known.Keys) == 0 {
		return fmt.Errorf("%s holds no public keys", v.Public)
	}
	view := workshop.ViewOfPaper(paper.Check(pdf, func(signed string) ([]byte, string,
		error) {
		return seal.Open(signed, known.Keys)
	}))
	if v.Replaced != "" {
		list, err := os.ReadFile(v.Replaced)
		if err != nil {
			return err
		}
		if err := view.StandsBy(strings.TrimSpace(string(list)), known.Keys); err != nil {
			return err
		}
	}
	switch view.Finding {
	case paper.NotOurs:
		fmt.Printf("NOT OURS. %s\n", strings.Join(view.Where, " "))
		return errPaper
	case paper.Genuine:
		fmt.Printf("GENUINE, as issued by %s: certificate %s, signed %s by %s.\n", view.Lab, view.Number,
			view.Signed.Format("2006-01-02 15:04:05 -07:00"), view.By)
	default:
		fmt.Printf("%s. Issued by %s as certificate %s. %s\n", strings.ToUpper(string(view.Finding)), view.Lab,
			view.Number, strings.Join(view.Where, " "))
	}
	fmt.Printf("Whether it still counts: %s. %s\n", view.Standing, view.Why)
	if view.Finding != paper.Genuine || view.Standing == workshop.CountsNo {
		return errPaper
	}
	return nil
}
