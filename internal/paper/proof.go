package paper

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"time"

	"github.com/pdfcpu/pdfcpu/pkg/api"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu"
	"github.com/pdfcpu/pdfcpu/pkg/pdfcpu/model"
)

// Proof is what the workshop's key signs of a certificate. The file holds it twice: as an attachment, which a program that
// rewrites the PDF keeps; and as its last line, which signs every byte before it.
type Proof struct {
	Number     string            `json:"number"` // the certificate's
	Lab        string            `json:"lab"`
	Run        string            `json:"run"`
	Revision   int               `json:"revision"`
	Event      int               `json:"event"` // the run's last event that the certificate is of
	Head       string            `json:"head"`  // and its hash
	Signed     time.Time         `json:"signed"`
	By         string            `json:"by"`
	Void       string            `json:"void,omitempty"` // why it counted no more when this file was made
	Checkpoint *Point            `json:"checkpoint,omitempty"`
	Data       map[string]string `json:"data"`           // SHA-256 of each part of the data inside, by its name
	Pages      []string          `json:"pages"`          // SHA-256 of what each page shows
	File       string            `json:"file,omitempty"` // SHA-256 of every byte before the file's last signature
}

// Point is a checkpoint of the record, as a certificate names it.
type Point struct {
	N     int       `json:"n"`
	Event int64     `json:"event"`
	Head  string    `json:"head"`
	At    time.Time `json:"at"`
}

// What a certificate carries inside.
const (
	dataFile  = "certificate.json"
	proofFile = "proof.jws"
)

// sealMark begins the comment at a file's end that signs all before it.
const sealMark = "%Seal "

// sealing is the last lines of a file that was sealed; its startxref is the file's own, said again.
var sealing = regexp.MustCompile(`^%Seal ([A-Za-z0-9_.-]+)\nstartxref\n(\d+)\n%%EOF\n$`)

var ownStart = regexp.MustCompile(`startxref\n(\d+)\n%%EOF\n$`)

func init() { api.DisableConfigDir() } // nothing is written to anybody's home

// sealed signs a file over every byte of it.
func sealed(pdf []byte, proof Proof, sign func(any) (string, error)) ([]byte, error) {
	start := ownStart.FindSubmatch(pdf)
	if start == nil {
		return nil, errors.New("the file does not end as it should")
	}
	proof.File = sum(pdf)
	signature, err := sign(proof)
	if err != nil {
		return nil, err
	}
	return fmt.Appendf(pdf, "%s%s\nstartxref\n%s\n%%%%EOF\n", sealMark, signature, start[1]), nil
}

func sum(text []byte) string {
	hash := sha256.Sum256(text)
	return hex.EncodeToString(hash[:])
}

// partsOf is the hash of each part of a certificate's data.
func partsOf(data []byte) (map[string]string, error) {
	var parts map[string]json.RawMessage
	if err := json.Unmarshal(data, &parts); err != nil {
		return nil, err
	}
	hashes := map[string]string{}
	for name, part := range parts {
		var compact bytes.Buffer
		if err := json.Compact(&compact, part); err != nil {
			return nil, err
		}
		hashes[name] = sum(compact.Bytes())
	}
	return hashes, nil
}

// content is what is inside a PDF: its pages, and its attachments by name.
type content struct {
	pages    []string // hash of what each shows
	attached map[string][]byte
}

// largestAttachment is the most of an attachment that is read.
const largestAttachment = 16 << 20

// read looks into a PDF, whoever wrote it.
func read(pdf []byte) (c content, err error) {
	defer func() { // the file may be anything
		if fault := recover(); fault != nil {
			err = fmt.Errorf("it cannot be read: %v", fault)
		}
	}()
	how := model.NewDefaultConfiguration()
	how.ValidationMode = model.ValidationRelaxed
	ctx, err := api.ReadAndValidate(bytes.NewReader(pdf), how)
	if err != nil {
		return c, err
	}
	if err := ctx.EnsurePageCount(); err != nil {
		return c, err
	}
	for n := range ctx.PageCount {
		shows, err := pdfcpu.ExtractPageContent(ctx, n+1)
		if err != nil {
			return c, err
		}
		text, err := io.ReadAll(shows)
		if err != nil {
			return c, err
		}
		c.pages = append(c.pages, sum(text))
	}
	listed, err := ctx.ListAttachments()
	if err != nil || len(listed) == 0 {
		return c, err
	}
	all, err := ctx.ExtractAttachments(nil)
	c.attached = map[string][]byte{}
	for _, a := range all {
		text, err := io.ReadAll(io.LimitReader(a, largestAttachment))
		if err != nil {
			return c, err
		}
		c.attached[a.FileName] = text
	}
	return c, err
}

// Finding is what came of checking a paper.
type Finding string

// The findings.
const (
	Genuine   Finding = "genuine"   // byte for byte as it was issued
	Rewritten Finding = "rewritten" // its pages and data are as issued, the file around them is not
	Altered   Finding = "altered"   // a page, or the data inside, is not as it was issued
	NotOurs   Finding = "not ours"  // nothing in it was signed by this workshop
)

// Findings lists every Finding.
var Findings = []Finding{Genuine, Rewritten, Altered, NotOurs}

// Checked is a paper that was checked.
type Checked struct {
	Finding Finding
	Where   []string // what is not as it was issued, in words
	Proof   Proof    // what was signed; only where it is the workshop's
	Key     string   // id of the key
}

// Check holds a certificate against what is signed in it. open verifies a signature, and returns what was signed and by
// which key; its error says that it is not the workshop's. No record is asked.
func Check(pdf []byte, open func(signed string) (payload []byte, by string, err error)) Checked {
	if at := bytes.LastIndex(pdf, []byte(sealMark)); at >= 0 {
		if parts := sealing.FindSubmatch(pdf[at:]); parts != nil {
			payload, by, err := open(string(parts[1]))
			start := ownStart.FindSubmatch(pdf[:at])
			var proof Proof
			if err == nil && json.Unmarshal(payload, &proof) == nil && proof.File == sum(pdf[:at]) && start != nil &&
				bytes.Equal(start[1], parts[2]) {
				return Checked{Finding: Genuine, Proof: proof, Key: by}
			}
		}
	}
	inside, err := read(pdf)
	if err != nil {
		return Checked{Finding: NotOurs, Where: []string{"This is no PDF that can be read: " + err.Error() + "."}}
	}
	payload, by, err := open(string(inside.attached[proofFile]))
	if err != nil {
		return Checked{Finding: NotOurs, Where: []string{"Nothing in it was signed by this workshop's key."}}
	}
	checked := Checked{Finding: Rewritten, Key: by}
	if err := json.Unmarshal(payload, &checked.Proof); err != nil {
		return Checked{Finding: NotOurs, Where: []string{"What was signed in it is no certificate."}}
	}
	if checked.Where = checked.Proof.different(inside); len(checked.Where) > 0 {
		checked.Finding = Altered
	} else {
		checked.Where = []string{"Its pages and its data are as they were issued; the file was written anew by another program, or drawn over. Ask for the file as it was issued."}
	}
	return checked
}

// different is what inside a paper is not as it was signed.
func (p Proof) different(inside content) (where []string) {
	if len(inside.pages) != len(p.Pages) {
		where = append(where, fmt.Sprintf("It has %d pages; %d were issued.", len(inside.pages), len(p.Pages)))
	}
	for i := range min(len(inside.pages), len(p.Pages)) {
		if inside.pages[i] != p.Pages[i] {
			where = append(where, "Page "+strconv.Itoa(i+1)+" does not show what was issued.")
		}
	}
	parts, err := partsOf(inside.attached[dataFile])
	if err != nil {
		return append(where, "The data inside is missing, or cannot be read.")
	}
	for _, name := range slices.Sorted(maps.Keys(p.Data)) {
		if parts[name] != p.Data[name] {
			where = append(where, "In the data inside, “"+name+"” is not as it was issued.")
		}
	}
	for _, name := range slices.Sorted(maps.Keys(parts)) {
		if _, known := p.Data[name]; !known {
			where = append(where, "In the data inside, “"+name+"” was put in.")
		}
	}
	return where
}
