package exchange_test

import (
	"strconv"
	"strings"
	"testing"
	"time"

	"northneedle/core/run"
	"northneedle/internal/exchange"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"pgregory.net/rapid"
)

// register knows one device and one reference.
type register struct{}

func (register) HasAsset(tag string) (string, bool) { return "d-" + tag, tag == "MB-1" }
func (register) Takes(i exchange.Instrument) error {
	if i.Profile != "balance" {
		return &run.Refusal{Field: "profile", Message: "unknown"}
	}
	return nil
}
func (register) HasStandard(tag string) (string, bool) { return "s-" + tag, tag == "HG-1" }
func (register) Registers(exchange.Person) error       { return nil }
func (register) Names(exchange.Competence) error       { return nil }
func (register) HasRun(id string) bool                 { return id == "run-1" }

var now = time.Date(2026, 3, 2, 9, 0, 0, 0, time.Local)

func TestReferencesAreHeldAgainstWhatAReferenceNeeds(t *testing.T) {
	head := "tag,name,kind,certificate,issuer,certified,due,quantity,value,unit,u,k,accredited\n"
	for row, field := range map[string]string{
		"HG-2,5 %,gas,K-1,lab,2026-01-01,2027-01-01,CO2,5.02,%{vol},0.05,2,yes":   "",
		"HG-1,5 %,gas,K-1,lab,2026-01-01,2027-01-01,CO2,5.02,%{vol},0.05,2,yes":   "tag",
		"HG-2,5 %,gas,K-1,lab,1 March,2027-01-01,CO2,5.02,%{vol},0.05,2,yes":      "certified",
		"HG-2,5 %,gas,K-1,lab,2026-02-01,2026-01-01,CO2,5.02,%{vol},0.05,2,yes":   "due",
		"HG-2,5 %,gas,K-1,lab,2026-01-01,2027-01-01,CO2,five,%{vol},0.05,2,yes":   "value",
		"HG-2,5 %,gas,K-1,lab,2026-01-01,2027-01-01,CO2,5.02,%{vol},0,2,yes":      "u",
		"HG-2,5 %,gas,K-1,lab,2026-01-01,2027-01-01,CO2,5.02,furlong,0.05,2,yes":  "unit",
		"HG-2,5 %,gas,,lab,2026-01-01,2027-01-01,CO2,5.02,%{vol},0.05,2,yes":      "certificate",
		"HG 2,5 %,gas,K-1,lab,2026-01-01,2027-01-01,CO2,5.02,%{vol},0.05,2,maybe": "tag",
	} {
		in, err := exchange.ReadImport(exchange.Standards, []byte(head+row+"\n"), register{}, exchange.Reading{Now: now})
		require.NoError(t, err)
		if field == "" {
			require.Len(t, in.Rows, 1, row)
			assert.True(t, in.Rows[0].Standard.Certificate.Accredited)
			continue
		}
		require.Len(t, in.Refused, 1, row)
		assert.Equal(t, field, in.Refused[0].Field, row)
		assert.Equal(t, 2, in.Refused[0].Line)
	}
}

func TestHistoriesComeWithTheirPoints(t *testing.T) {
	text := "tag;on;title;result;measure;point;unit;reference;indicated;low;high;u\nmb-1;2025-03-01;Verification;Conforms;CO2;5 %;%{vol};5,02;5,10;-0,4;0,4;0,08\nMB-1;2025-03-01;Verification;conforms;CO2;10 %;%{vol};10;11;-0,8;0,8;0,1\nMB-1;2025-04-01;Repair;does not conform;;;;;;;;\n"
	in, err := exchange.ReadImport(exchange.Histories, []byte(text), register{}, exchange.Reading{Now: now})
	require.NoError(t, err)
	require.Empty(t, in.Refused)
	require.Len(t, in.Rows, 3)
	require.NotNil(t, in.Rows[0].Run)
	assert.Nil(t, in.Rows[1].Run, "the same day's run stands once")
	assert.Equal(t, in.Rows[0].Run.ID, in.Rows[1].Result.RunID)
	assert.InDelta(t, 0.2, in.Rows[0].Result.ErrorToLimit, 1e-9)
	assert.False(t, in.Rows[1].Result.Zone.Within())
	assert.Nil(t, in.Rows[2].Result)
	for _, kind := range []string{exchange.Assets, exchange.Standards, exchange.Histories} {
		needed, _ := exchange.Columns(kind)
		_, err := exchange.ReadImport(kind, []byte(strings.Join(needed[1:], ",")), register{}, exchange.Reading{Now: now})
		assert.ErrorContains(t, err, needed[0])
		_, err = exchange.ReadImport(kind, []byte(""), register{}, exchange.Reading{Now: now})
		assert.Error(t, err)
	}
	_, err = exchange.ReadImport("kettles", []byte("tag\n"), register{}, exchange.Reading{Now: now})
	assert.ErrorContains(t, err, "cannot be imported")
}

func FuzzReadImport(f *testing.F) {
	for _, seed := range []string{"tag,maker,model,family,site\nA,b,c,d,e\n",
		"tag;on;title;result\nMB-1;2025-01-01;x;conforms\n", "\ufefftag\ttag\n\"",
		"name,profile,transport,address,baud,status\nA,balance,tcp,x:1,many,retired\nB,balance,serial,y,9600,gone\n",
		"tag,name,kind,certificate,issuer,certified,due,quantity,unit,u,k\nA,b,c,d,e,2025-01-01,2026-01-01,CO2,%,1,2"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, kind := range []string{exchange.Assets, exchange.Standards, exchange.Histories, exchange.Instruments} {
			in, err := exchange.ReadImport(kind, []byte(text), register{}, exchange.Reading{Now: now})
			if err != nil {
				continue
			}
			for _, r := range in.Refused {
				require.NotEmpty(t, r.Why)
				require.Positive(t, r.Line)
			}
			for _, row := range in.Rows {
				require.True(t, row.Asset != nil || row.Standard != nil || row.Run != nil || row.Result != nil ||
					row.Instrument != nil || kind == exchange.Histories)
			}
		}
	})
}

// What a spreadsheet would compute goes out as text, and comes back as it was; a quote that is never closed names its
// line; and the encodings that spreadsheets write are read.
func TestListsAreReadAndWrittenAsSpreadsheetsTakeThem(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		text := rapid.OneOf(rapid.StringMatching(`'{0,3}[-=+@]?[a-z0-9(.]{0,6}`), rapid.String()).Draw(rt, "text")
		out := exchange.Neutral(text)
		if _, err := strconv.ParseFloat(out, 64); err != nil && out != "" {
			assert.NotContains(rt, "=+-@\t\r", out[:1])
		}
		assert.Equal(rt, text, exchange.Bare(out))
	})
	const rows = "tag,maker,model,family,site,place\nMB-7001,Ostrel,V7,ventilator,Merrowby,Größe 3\nMB-7002,'=1+1,V7,ventilator,Merrowby,'-A\n"
	latin, err := charmap.Windows1252.NewEncoder().String(rows)
	require.NoError(t, err)
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(rows)
	require.NoError(t, err)
	for _, text := range []string{rows, "\ufeff" + rows, latin, wide} {
		in, err := exchange.ReadImport(exchange.Assets, []byte(text), register{}, exchange.Reading{Now: time.Now()})
		require.NoError(t, err)
		require.Len(t, in.Rows, 2)
		assert.Contains(t, in.Rows[0].Asset.Place, "Größe 3")
		assert.Contains(t, in.Rows[1].Asset.Maker, "=1+1")
	}
	_, err = exchange.ReadImport(exchange.Assets,
		[]byte("tag,maker,model,family,site\nMB-1,a,b,ventilator,s\nMB-2,\"a,b,ventilator,s\n"),
		register{}, exchange.Reading{Now: time.Now()})
	assert.ErrorContains(t, err, "line 3")
}
