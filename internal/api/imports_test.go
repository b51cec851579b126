package api_test

import (
	"encoding/csv"
	"fmt"
	"strings"
	"testing"
	"time"

	"northneedle/core/device"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// takesIn reads a list and takes it in.
func (c *client) takesIn(t *testing.T, kind, text string) workshop.ImportView {
	t.Helper()
	read := decoded[workshop.ImportView](t, second(c.sent(t, kind, text)))
	posted[workshop.ImportView](c, "/api/imports/"+read.ID, order{"go": true})
	require.Eventually(t, func() bool { return get[workshop.ImportView](c, "/api/imports/"+read.ID).State == "done" },
		30*time.Second, 20*time.Millisecond)
	return read
}

// Devices come with when they were done last, how often, and when they are due; histories set these days afterwards, and lift
// nothing. What came in goes out in the same form.
func TestMovingHouse(t *testing.T) {
	h := newHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	head := "tag,serial,maker,model,family,site,place,status,risk,last_done,months,next_due\n"
	read := lead.takesIn(t, "assets", head+
		"MV-1,S1,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,2025-11-20,12,2026-11-20\n"+
		"MV-2,S2,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,2025-11-20,6,\n"+
		"MV-3,S3,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,,,2026-07-01\n"+
		"MV-4,S4,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,,,\n"+
		"MV-5,S5,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,2027-01-01,,\n"+
		"MV-6,S6,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,2025-11-20,,2025-11-01\n"+
		"MV-7,S7,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,,yearly,\n"+
		"MV-8,S8,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,20.11.2025,,\n")
	assert.Equal(t, 4, read.Rows)
	fields := []string{}
	for _, r := range read.Refused {
		fields = append(fields, fmt.Sprint(r.Line, " ", r.Field))
	}
	assert.Equal(t, []string{"6 last_done", "7 next_due", "8 months", "9 last_done"}, fields)
	main := func(tag string) (last, due, reason string, state device.State) {
		v := get[workshop.AssetView](lead, "/api/assets/"+tag)
		for _, a := range v.Activities {
			if a.Procedure != "capnograph-oximeter-verification" {
				continue
			}
			if a.LastOn != nil {
				last = a.LastOn.Format(time.DateOnly)
			}
			return last, a.DueOn.Format(time.DateOnly), a.Reason, v.State
		}
		require.Fail(t, "no verification", "%s: %+v", tag, v.Activities)
		return "", "", "", ""
	}
	days := func(tag string) string { last, due, _, _ := main(tag); return last + " " + due }
	assert.Equal(t, "2025-11-20 2026-11-20", days("MV-1"))
	assert.Equal(t, "2025-11-20 2026-05-20", days("MV-2"), "by its own interval")
	assert.Equal(t, " 2026-07-01", days("MV-3"))
	assert.Equal(t, " 2026-03-02", days("MV-4"), "nothing is known: due from today")
	_, _, _, state := main("MV-1")
	assert.NotContains(t, []device.State{device.Due, device.Overdue}, state)

	// A history sets the day, whatever it calls its procedure; an older one, or a failed one, does not.
	lead.takesIn(t, "histories", "tag,on,title,result\nMV-4,2025-12-01,Yearly check,conforms\nMV-4,2024-12-01,Yearly check,conforms\n"+
		"MV-1,2024-01-10,Yearly check,conforms\nMV-3,2026-01-10,Yearly check,does not conform\n")
	assert.Equal(t, "2025-12-01 2026-12-01", days("MV-4"))
	_, _, reason, _ := main("MV-4")
	assert.Contains(t, reason, "by the history of 2025-12-01")
	assert.Equal(t, "2025-11-20 2026-11-20", days("MV-1"))
	assert.Equal(t, " 2026-07-01", days("MV-3"))

	// A fault that is reported stands, whatever the paper says.
	posted[workshop.AssetView](lead, "/api/assets/MV-4/faults", order{"id": "moving-0001", "what": "no flow"})
	lead.takesIn(t, "histories", "tag,on,title,result\nMV-4,2026-02-20,Yearly check,conforms\n")
	_, _, _, state = main("MV-4")
	assert.Equal(t, device.NotToBeUsed, state)

	rows, err := csv.NewReader(strings.NewReader(string(h.text(lead, "/api/lists/equipment?format=csv")))).ReadAll()
	require.NoError(t, err)
	at := map[string]int{}
	for i, name := range rows[0] {
		at[name] = i
	}
	out := map[string]string{}
	for _, r := range rows[1:] {
		out[r[at["tag"]]] = strings.Join([]string{r[at["last_done"]], r[at["months"]], r[at["next_due"]]}, " ")
	}
	assert.Equal(t, "2025-11-20 12 2026-11-20", out["MV-1"])
	assert.Equal(t, "2025-11-20 6 2026-05-20", out["MV-2"])
	_, err = h.ledger.Verify()
	require.NoError(t, err)
	differences, err := h.ledger.Differences()
	require.NoError(t, err)
	assert.Empty(t, differences)
}
