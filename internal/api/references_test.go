package api_test

import (
	"encoding/json"
	"maps"
	"strings"
	"testing"
	"time"

	"northneedle/internal/api"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// certificate is one as it is entered: a day's worth of validity counted from the house's day.
func certificate(number string, days int, values ...map[string]any) map[string]any {
	return map[string]any{
		"number":     number,
		"issuer":     "Quayside Metrology, Merrowby",
		"on":         day.AddDate(0, 0, -10).Format(time.DateOnly),
		"due_on":     day.AddDate(0, 0, days).Format(time.DateOnly),
		"accredited": true,
		"values":     append([]map[string]any{}, values...),
	}
}

func co2(value, u float64) map[string]any {
	return map[string]any{"quantity": "CO2", "value": value, "unit": "%{vol}", "u": u, "k": 2}
}

// problem posts, and wants a problem.
func (c *client) problem(path string, body any, status int) (p api.Problem) {
	c.t.Helper()
	got, text := c.call("POST", path, body)
	require.Equal(c.t, status, got, string(text))
	require.NoError(c.t, json.Unmarshal(text, &p))
	return p
}

func posted[T any](c *client, path string, body any) (value T) {
	c.t.Helper()
	status, text := c.call("POST", path, body)
	require.Equal(c.t, 200, status, string(text))
	require.NoError(c.t, json.Unmarshal(text, &value), string(text))
	return value
}

func TestAReferenceCarriesItsCertificates(t *testing.T) {
	h := newHouse(t)
	lead, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	entry := map[string]any{
		"id":          "new-gas-0001",
		"tag":         "hg-40",
		"name":        "5 % CO₂",
		"kind":        "gas",
		"cylinder":    map[string]any{"water_volume_l": 2, "gauge_bar": 100, "reserve_bar": 5},
		"certificate": certificate("K-1", 300, co2(5.1, 0.05)),
	}
	assert.Contains(t, technician.problem("/api/standards", entry, 403).Detail, "lead")
	r := posted[workshop.ReferenceView](lead, "/api/standards", entry)
	assert.Equal(t, "HG-40", r.Tag)
	again := posted[workshop.ReferenceView](lead, "/api/standards", entry)
	assert.Len(t, again.Certificates, 1, "a retry enters nothing twice")
	entry["id"] = "new-gas-0002"
	assert.Equal(t, "tag", lead.problem("/api/standards", entry, 422).Field)

	newer := map[string]any{"id": "certificate-2", "certificate": certificate("K-2", 600, co2(5.08, 0.05))}
	posted[workshop.ReferenceView](lead, "/api/standards/HG-40/certificates", newer)
	r = posted[workshop.ReferenceView](lead, "/api/standards/HG-40/certificates", newer)
	require.Len(t, r.Certificates, 2)
	assert.Equal(t, "K-2", r.Certificate.Number)
	assert.Equal(t, 5.08, r.Values[0].Value)

	// A run takes the new value; the certificate's drift and the gas's own lie in its budget.
	v := technician.open("MB-0417")
	v = technician.send(v, order{"kind": "bind", "role": "gas5", "standard": "HG-40"})
	assert.InDelta(t, 5.08, v.Measures[0].Points[1].Expected.Reference, 1e-9)

	posted[workshop.ReferenceView](lead, "/api/standards/HG-40/status",
		map[string]any{"status": "quarantined", "note": "dropped"})
	assert.Equal(t, "note", lead.problem("/api/standards/HG-40/status", map[string]any{"status": "usable", "note": " "},
		422).Field)
	other := technician.open(firstOf(t, technician, "capnograph", 1))
	technician.refused(other, order{"kind": "bind", "role": "gas5", "standard": "HG-40"}, 409, "unfit-standard",
		"quarantined")
}

func TestACertificateThatCannotCarryAMeasurement(t *testing.T) {
	h := newHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	range_ := func(from, to float64) map[string]any {
		return map[string]any{"quantity": "CO2", "from": from, "to": to, "unit": "%{vol}", "u": 0.1, "k": 2}
	}
	for name, c := range map[string]struct {
		certificate map[string]any
		field       string
		words       string
	}{
		"no uncertainty": {certificate("K", 100, co2(5, 0)), "values[0]", "states no uncertainty"},
		"no value":       {certificate("K", 100), "values", "at least one certified value"},
		"no number":      {certificate(" ", 100, co2(5, 0.1)), "certificate.number", "missing"},
		"no day": {with(certificate("K", 360, co2(5, 0.1)), "on", "24.11.2026"), "certificate.on",
			"2026-11-26"},
		"runs out before":   {certificate("K", -20, co2(5, 0.1)), "certificate.due_on", "is not after"},
		"a range backwards": {certificate("K", 100, range_(8, 4)), "values[0]", "backwards"},
		"an unknown unit": {certificate("K", 100, map[string]any{
			"quantity": "CO2",
			"value":    5,
			"unit":     "vol",
			"u":        0.1,
			"k":        2,
		}), "values[0].unit", "not a unit"},
		"a drift below zero": {certificate("K", 100, map[string]any{
			"quantity":       "CO2",
			"value":          5,
			"unit":           "%{vol}",
			"u":              0.1,
			"k":              2,
			"drift_per_year": -1,
		}), "values[0]", "drift"},
	} {
		t.Run(name, func(t *testing.T) {
			p := lead.problem("/api/standards/HG-22/certificates",
				map[string]any{"id": "bad-certificate", "certificate": c.certificate}, 422)
			assert.Equal(t, c.field, p.Field)
			assert.Contains(t, p.Detail, c.words)
		})
	}
	r := get[workshop.ReferenceView](lead, "/api/standards/HG-22")
	assert.Len(t, r.Certificates, 1, "nothing was recorded")
}

func TestTheGasBookFlagsWhatWasLost(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	r := get[workshop.ReferenceView](c, "/api/standards/HG-23")
	require.NotEmpty(t, r.Book)
	require.NotNil(t, r.Book[0].Loss)
	assert.True(t, r.Book[0].Loss.Flagged)
	assert.InDelta(t, 34, r.Book[0].Loss.LostL, 1.5)
	assert.False(t, r.Book[1].Loss.Flagged)
	before := r.Cylinder.GaugeBar
	for range 2 {
		r = posted[workshop.ReferenceView](c, "/api/standards/HG-23/gauge",
			map[string]any{"id": "gauge-new-1", "bar": before - 10, "metered_l": 18})
	}
	assert.Equal(t, before-10, r.Cylinder.GaugeBar)
	assert.InDelta(t, 1.74, r.Book[0].Loss.LostL, 0.1, "a retry noted nothing twice")
	assert.False(t, r.Book[0].Loss.Flagged, "within one reading of the gauge")
	assert.Contains(t, c.problem("/api/standards/FS-1/gauge",
		map[string]any{"id": "gauge-new-2", "bar": 1, "metered_l": 0}, 422).Detail, "no cylinder")
	assert.Contains(t, h.signedIn("Odile Marsh").problem("/api/standards/HG-23/gauge",
		map[string]any{"id": "gauge-new-3", "bar": 1, "metered_l": 0}, 403).Detail, "manager")
}

func TestTheChainLeadsUp(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	r := get[workshop.ReferenceView](c, "/api/standards/PP-1")
	require.Len(t, r.Chain, 3, "the pipette, the balance it was calibrated on, and who certified that")
	assert.Equal(t, "BL-1", r.Chain[1].Tag)
	assert.Contains(t, r.Chain[2].Name, "national standards")
	r = get[workshop.ReferenceView](c, "/api/standards/FS-2")
	assert.Contains(t, r.Chain[0].Broken, "ran out")
	r = get[workshop.ReferenceView](c, "/api/standards/RC-01")
	assert.Contains(t, r.Chain[len(r.Chain)-1].Broken, "chain ends here")
	r = get[workshop.ReferenceView](c, "/api/standards/QC-9")
	assert.Equal(t, "G-2511", r.Lot)
	assert.Positive(t, get[workshop.ReferenceView](c, "/api/standards/HG-22").Devices)
}

func TestWorkingsComputeAndRefuse(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Idris Vail")
	room := func(name string, celsius float64) map[string]any {
		return map[string]any{"name": name, "temperature_c": celsius, "pressure_hpa": 1008, "humidity_percent": 46}
	}
	gas := posted[workshop.GasConversion](c, "/api/workings/gas", map[string]any{
		"value":       3,
		"from":        room("ATP", 21.4),
		"to":          room("BTPS", 21.4),
		"co2_percent": 5,
	})
	assert.InDelta(t, 3.32, gas.Result, 0.02)
	assert.Greater(t, gas.CO2Dry, gas.CO2BTPS)
	assert.NotEmpty(t, gas.Source)
	budget := posted[workshop.BudgetWorking](c, "/api/workings/budget",
		map[string]any{"terms": []any{map[string]any{"name": "a", "distribution": "normal", "width": 3, "k": 1},
			map[string]any{"name": "b", "distribution": "normal", "width": 4, "k": 1}},
			"correlations": []any{map[string]any{"a": 0, "b": 1, "coefficient": 1}}})
	assert.InDelta(t, 14, budget.Expanded, 1e-9)
	tolerance := posted[workshop.ToleranceWorking](c, "/api/workings/tolerance", map[string]any{
		"tolerance": "±2",
		"reference": 10,
		"error":     1.8,
		"u":         0.5,
		"k":         2,
		"prior_sd":  1,
	})
	assert.Equal(t, []bool{true, false, false}, []bool{tolerance.Rules[0].Passes, tolerance.Rules[1].Passes,
		tolerance.Rules[2].Passes})
	assert.Positive(t, tolerance.Risk.Consumer)
	anatomy := posted[workshop.ErrorComponentsWorking](c, "/api/workings/anatomy",
		map[string]any{"text": "0,04\t0,05\n5,02\t4,71\n10,04\t9,40", "tolerance": "±(0.43 + 8 % of reading)",
			"u": 0.12})
	assert.Equal(t, "gain", string(anatomy.Components.Shape))
	assert.InDelta(t, 0.935, anatomy.Line.Slope, 1e-3)
	single := posted[workshop.ErrorComponentsWorking](c, "/api/workings/anatomy",
		map[string]any{"text": "5 6", "tolerance": "±2", "u": 0.1})
	assert.Equal(t, "unknown", string(single.Components.Shape), "one point carries no line")
	assert.Nil(t, single.Line)
	cylinder := posted[workshop.CylinderWorking](c, "/api/workings/cylinder", map[string]any{
		"water_volume_l":  2,
		"gauge_bar":       61,
		"reserve_bar":     5,
		"flow_l_min":      0.5,
		"later_gauge_bar": 51,
		"metered_l":       10,
	})
	assert.InDelta(t, 221, *cylinder.Minutes, 1)
	assert.InDelta(t, 9.74, *cylinder.LossL, 0.01)

	for name, bad := range map[string]struct {
		tool, body, field, words string
	}{
		"a negative tolerance": {"tolerance", `{"tolerance":"±-2","reference":1,"error":0,"u":1,"k":2}`, "tolerance",
			"negative"},
		"no k": {"tolerance", `{"tolerance":"±2","reference":1,"error":0,"u":1,"k":0}`, "u",
			"coverage factor"},
		"a pressure in mmHg": {"gas",
			`{"value":1,"from":{"name":"ATP","temperature_c":20,"pressure_hpa":97,"humidity_percent":50},"to":{"name":"STPD","temperature_c":20,"pressure_hpa":97,"humidity_percent":50}}`, "from", "barometer"},
		"a negative width": {"budget", `{"terms":[{"name":"a","distribution":"normal","width":-1}]}`, "terms",
			"not below zero"},
		"no uncertainty": {"anatomy", `{"text":"1 2","tolerance":"±2"}`, "text", "uncertainty must be above zero"},
		"letters":        {"anatomy", `{"text":"1 2\n3 x","tolerance":"±2","u":1}`, "text", "Line 2, column 2"},
		"outside the ranges": {"anatomy", `{"text":"50 51","tolerance":"0..40: ±2","u":1}`, "text",
			"says nothing about 50"},
		"a gauge below zero": {"cylinder", `{"water_volume_l":2,"gauge_bar":-1,"reserve_bar":5}`, "gauge_bar",
			"outside 0 to 1000"},
	} {
		t.Run(name, func(t *testing.T) {
			p := c.problem("/api/workings/"+bad.tool, json.RawMessage(bad.body), 422)
			assert.Equal(t, bad.field, p.Field)
			assert.Contains(t, p.Detail, bad.words)
			assert.False(t, strings.Contains(p.Detail, "NaN"), "never a NaN on screen")
		})
	}
}

// A reference that is sent out fills no role until it is back; what the laboratory found before it changed anything is held
// against the certificate of before.
func TestAReferenceIsSentOutAndComesBack(t *testing.T) {
	h := newHouse(t)
	lead, technician := h.signedIn("Tamsin Orrery"), h.signedIn("Idris Vail")
	first := certificate("K-1", 600, co2(5.1, 0.05))
	first["on"] = day.AddDate(0, 0, -400).Format(time.DateOnly)
	posted[workshop.ReferenceView](lead, "/api/standards", order{"id": "new-gas-0001", "tag": "HG-41", "name": "5 % CO₂", "kind": "gas",
		"cylinder":    order{"water_volume_l": 2, "gauge_bar": 100, "reserve_bar": 5},
		"certificate": first})
	before := technician.open("MB-0425")
	before = technician.send(before, order{"kind": "bind", "role": "gas5", "standard": "HG-41"})
	v := technician.open("MB-0417")
	at := "/api/standards/HG-41/away"
	out := order{"id": "out-0001", "to": "Fennick Metrology", "until": "2026-03-20", "price": 240, "why": "yearly calibration"}
	technician.problem(at, out, 403)
	for field, wrong := range map[string]order{"why": {"to": "Fennick Metrology", "why": " "}, "to": {"why": "calibration"},
		"until": {"to": "Fennick Metrology", "why": "calibration", "until": "2026-02-01"}} {
		wrong["id"] = "out-wrong-" + field
		assert.Equal(t, field, lead.problem(at, wrong, 422).Field)
	}
	r := posted[workshop.ReferenceView](lead, at, out)
	assert.Equal(t, r, posted[workshop.ReferenceView](lead, at, out), "sent again it changes nothing")
	require.NotNil(t, r.Away)
	assert.Equal(t, 240.0, r.Away.Price)
	technician.refused(v, order{"kind": "bind", "role": "gas5", "standard": "HG-41"}, 409, "unfit-standard", "with Fennick Metrology since")

	back := order{"id": "back-0001", "why": "whole, not adjusted"}
	r = posted[workshop.ReferenceView](lead, at, back)
	assert.Nil(t, r.Away)
	newer := certificate("K-2", 700, co2(4.96, 0.05))
	newer["found"] = []order{{"quantity": "CO2", "value": 4.96, "u": 0}}
	order2 := order{"id": "certificate-2", "certificate": newer}
	assert.Equal(t, "certificate.found[0].u", lead.problem("/api/standards/HG-41/certificates", order2, 422).Field)
	newer["found"] = []order{{"quantity": "O2", "value": 4.96, "u": 0.03}}
	assert.Equal(t, "certificate.found[0].quantity", lead.problem("/api/standards/HG-41/certificates", order2, 422).Field)
	newer["found"] = []order{{"quantity": "CO2", "value": 4.96, "u": 0.03}}
	r = posted[workshop.ReferenceView](lead, "/api/standards/HG-41/certificates", order2)
	found := r.Certificates[len(r.Certificates)-1].Found
	require.Len(t, found, 1)
	assert.InDelta(t, -0.14, found[0].By, 1e-9)
	assert.False(t, found[0].Held)
	// What was found with the new certificate is of what rested on the one before it, and of nothing later.
	opened := order{"id": "look-back-hg41", "standard": "HG-41", "quantity": "CO2", "unit": "%{vol}", "error": "-0.14", "u": "0.03",
		"remove": true, "found": "as found by Fennick Metrology", "certificate": "K-2"}
	later := technician.open("MB-0429")
	technician.send(later, order{"kind": "bind", "role": "gas5", "standard": "HG-41"})
	wrong := order{}
	maps.Copy(wrong, opened)
	wrong["certificate"] = "K-1"
	assert.Equal(t, "certificate", lead.problem("/api/look-backs", wrong, 422).Field, "there is none before it")
	b := posted[workshop.LookBackView](lead, "/api/look-backs", opened)
	assert.Contains(t, b.Window, first["on"], "since the certificate before")
	touched := []string{}
	for _, run := range b.Touched {
		touched = append(touched, run.Run)
	}
	assert.Equal(t, []string{before.ID}, touched)
	h.agrees(t)
}
