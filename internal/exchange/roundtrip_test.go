package exchange_test

import (
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"northneedle/core/gas"
	"northneedle/core/reference"
	"northneedle/internal/exchange"
	"northneedle/internal/ledger"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// bare is a register with nothing in it but some devices.
type bare map[string]string

func (b bare) HasAsset(tag string) (string, bool) { id, ok := b[tag]; return id, ok }
func (bare) HasStandard(string) (string, bool)    { return "", false }
func (bare) HasRun(string) bool                   { return false }
func (bare) Registers(exchange.Person) error      { return nil }
func (bare) Names(exchange.Competence) error      { return nil }
func (bare) Takes(exchange.Instrument) error      { return nil }

var text = rapid.Map(rapid.StringMatching(`[=+A-Za-zäß0-9 ,;"'-]{0,12}`), strings.TrimSpace)

// number draws numbers of twelve digits: a workbook keeps fifteen.
func number(low, high float64) *rapid.Generator[float64] {
	return rapid.Map(rapid.Float64Range(low, high), func(v float64) float64 {
		v, _ = strconv.ParseFloat(strconv.FormatFloat(v, 'g', 12, 64), 64)
		return v
	})
}

// drawReference makes a reference with one to three certificates, each with up to three values.
func drawReference(t *rapid.T, n int, parent string) (ledger.Standard, []ledger.StandardCertificate) {
	s := ledger.Standard{ID: fmt.Sprintf("imported-REF-%d", n), Tag: fmt.Sprintf("REF-%d", n),
		Name: "n" + text.Draw(t, "name"), Kind: "gas-mixture", Maker: text.Draw(t, "maker"),
		Serial: text.Draw(t, "serial"), Place: text.Draw(t, "place"), Lot: rapid.SampledFrom([]string{"", "L7"}).Draw(t, "lot"),
		Status: rapid.SampledFrom([]string{reference.Usable, reference.Quarantined, reference.Retired}).Draw(t, "status"),
		Note:   text.Draw(t, "note")}
	if rapid.Bool().Draw(t, "cylinder") {
		s.Cylinder = &gas.Cylinder{WaterVolumeL: number(0.1, 50).Draw(t, "litres"), GaugeBar: number(0, 300).Draw(t,
			"bar"), ReserveBar: 5}
	}
	if rapid.Bool().Draw(t, "away") {
		since, until := now.AddDate(0, 0, -3).Add(-9*time.Hour), now.AddDate(0, 0, 9).Add(-9*time.Hour)
		s.AwayTo, s.AwaySince, s.AwayUntil = "a lab", &since, &until
		s.AwayPrice = number(0, 900).Draw(t, "price")
	}
	if rapid.Bool().Draw(t, "checked") {
		on := now.AddDate(0, -1, 0).Add(-9 * time.Hour)
		s.CheckDays, s.CheckHow, s.CheckedAt = rapid.IntRange(1, 400).Draw(t, "days"), "against "+text.Draw(t, "how"), &on
		s.CheckHow = strings.TrimSpace(s.CheckHow)
	}
	var all []ledger.StandardCertificate
	for i := range rapid.IntRange(1, 3).Draw(t, "certificates") {
		on := time.Date(2024, 1, 1, 0, 0, 0, 0, now.Location()).AddDate(0, 0, 100*i+rapid.IntRange(0, 90).Draw(t, "on"))
		c := ledger.StandardCertificate{ID: fmt.Sprintf("cert-%s-%d", s.ID, i+1), StandardID: s.ID,
			EnteredBy: "imported", Parent: parent,
			Certificate: reference.Certificate{Number: fmt.Sprintf("K-%d-%d", n, i), Issuer: "i" + text.Draw(t,
				"issuer"), On: on,
				DueOn: on.AddDate(1, 0, 0), Accredited: rapid.Bool().Draw(t, "accredited")}}
		for v := range rapid.IntRange(1, 3).Draw(t, "values") {
			low := number(-1e6, 1e6).Draw(t, "from")
			c.Values = append(c.Values, reference.Certified{Quantity: "mass", Piece: fmt.Sprint("piece ", v),
				Value: number(-1e6, 1e6).Draw(t, "value"),
				From:  low, To: number(low, low+1e3).Draw(t, "to"), Unit: "g", U: number(1e-9, 1e3).Draw(t, "u"), K: 2,
				DriftPerYear: number(0, 1).Draw(t, "drift"), Resolution: number(0, 1).Draw(t, "step")})
		}
		all = append(all, c)
	}
	newest := all[len(all)-1]
	s.Certificate, s.Values, s.Parent = newest.Certificate, newest.Values, newest.Parent
	return s, all
}

// Whatever references a workshop has, another one that takes their list in, as text or as a workbook, has the same: every
// value of every certificate, what they were calibrated against, their gas, and whether they may be used.
func TestReferencesMoveWithoutLoss(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		var standards []ledger.Standard
		var certificates [][]ledger.StandardCertificate
		for n := range rapid.IntRange(1, 4).Draw(rt, "references") {
			parent := ""
			if n > 0 && rapid.Bool().Draw(rt, "in house") {
				parent = standards[0].ID
			}
			s, all := drawReference(rt, n, parent)
			standards, certificates = append(standards, s), append(certificates, all)
		}
		order := rapid.Permutation(places(len(standards))).Draw(rt, "order")
		table := exchange.Table{Name: "references", Columns: exchange.ReferenceColumns, Rows: func(yield func([]any,
			error) bool) {
			for _, n := range order {
				for _, row := range exchange.ReferenceRows(standards[n], certificates[n],
					func(id string) string { return strings.TrimPrefix(id, "imported-") }) {
					if !yield(row, nil) {
						return
					}
				}
			}
		}}
		for _, write := range []func() ([]byte, error){table.CSV, table.XLSX} {
			file, err := write()
			require.NoError(rt, err)
			in, err := exchange.ReadImport(exchange.Standards, file, bare{}, exchange.Reading{Now: now})
			require.NoError(rt, err)
			require.Empty(rt, in.Refused)
			require.Empty(rt, in.Ignored)
			require.Len(rt, in.Rows, len(standards))
			for i, n := range order {
				assert.Equal(rt, standards[n], *in.Rows[i].Standard)
				assert.Equal(rt, certificates[n], in.Rows[i].Certificates)
			}
		}
	})
}

func places(n int) []int {
	all := make([]int, n)
	for i := range all {
		all[i] = i
	}
	return all
}

// A reference comes in whole or not at all, a run with its points too; the rows that were refused can be mended in their own
// columns and read again.
func TestWhatBelongsTogetherComesInTogether(t *testing.T) {
	const head = "Tag,Name,Kind,Certificate,Issuer,Certified,Due,Quantity,Piece,Value,Unit,u,k,Status,Parent\n"
	const good = "KW-1,=kit,weights,K-1,lab,2.1.2026,2.1.2027,mass,a,20,g,0.001,2,quarantined,\n"
	for rows, refused := range map[string]string{
		good + "KW-1,=kit,weights,K-1,lab,2.1.2026,2.1.2027,mass,b,fifty,g,0.001,2,quarantined,\n": "[2  3 value]",
		good + "KW-1,=kit,weights,K-1,lab,2.1.2026,2.1.2027,mass,b,50,g,0.001,2,usable,\n":         "[2  3 status]",
		good + "KW-1,=kit,weights,K-1,lab,2.1.2026,3.1.2027,mass,b,50,g,0.001,2,quarantined,\n":    "[2  3 certificate]",
		good + good: "[2  3 quantity]",
		good + "KW-2,x,weights,K-2,lab,2.1.2026,2.1.2027,mass,,20,g,0.001,2,,KW-3\nKW-3,x,weights,K-2,lab,2.1.2026,2.1.2027,mass,,20,g,0.001,2,,KW-3\n": "[3 parent 4 parent]",
		good + "KW-2,x,weights,K-2,lab,31.2.2026,2.1.2027,mass,,20,g,0.001,2,,\n":                                                                       "[3 certified]",
		good + "KW-2,x,weights,K-2,lab,2.1.26,2.1.2027,mass,,20,g,0.001,2,,\n":                                                                          "[3 certified]",
	} {
		in, err := exchange.ReadImport(exchange.Standards, []byte(head+rows), bare{}, exchange.Reading{Now: now,
			Days: exchange.DayFirst})
		require.NoError(t, err)
		var of []string
		for _, r := range in.Refused {
			of = append(of, fmt.Sprint(r.Line, " ", r.Field))
		}
		assert.Equal(t, refused, fmt.Sprint(of), rows)

		again, err := in.RefusedTable().CSV()
		require.NoError(t, err)
		twice, err := exchange.ReadImport(exchange.Standards, again, bare{}, exchange.Reading{Now: now,
			Days: exchange.DayFirst})
		require.NoError(t, err)
		assert.Len(t, twice.Refused, len(in.Refused), "what was refused is refused for the same reasons: %s", again)
		assert.Equal(t, []string{"refused_line", "refused_field", "refused_why"}, twice.Ignored)
	}
	in, err := exchange.ReadImport(exchange.Standards, []byte(head+good), bare{}, exchange.Reading{Now: now,
		Days: exchange.DayFirst})
	require.NoError(t, err)
	assert.Equal(t, "2026-01-02", in.Rows[0].Standard.Certificate.On.Format(time.DateOnly))
	in, err = exchange.ReadImport(exchange.Standards, []byte(head+good), bare{}, exchange.Reading{Now: now,
		Days: exchange.MonthFirst})
	require.NoError(t, err)
	assert.Equal(t, "2026-02-01", in.Rows[0].Standard.Certificate.On.Format(time.DateOnly))

	const points = "tag,on,title,result,measure,point,unit,reference,indicated\nMB-1,2025-03-01,Check,conforms,CO2,5,%,5,5.1\nMB-1,2025-03-01,Check,conforms,CO2,10,furlong,10,10\nMB-1,2025-03-01,Repair,conforms,,,,,\nMB-1,2025-03-01,Repair,does not conform,,,,,\n"
	in, err = exchange.ReadImport(exchange.Histories, []byte(points), bare{"MB-1": "d"}, exchange.Reading{Now: now})
	require.NoError(t, err)
	assert.Empty(t, in.Rows)
	assert.Len(t, in.Refused, 4)
}
