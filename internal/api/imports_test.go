package api_test

import (
	"encoding/csv"
	"fmt"
	"math"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
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
	lead.takesIn(t, "histories",
		"tag,on,title,result\nMV-4,2025-12-01,Yearly check,conforms\nMV-4,2024-12-01,Yearly check,conforms\n"+
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
	h.agrees(t)
}

// What a workshop hands out, as text or as a workbook, another one takes in whole: it hands out the same.
func TestAnotherHouseHasTheSame(t *testing.T) {
	from := newHouse(t)
	old := from.signedIn("Tamsin Orrery")
	to := emptyHouse(t)
	lead := to.signedIn("Tamsin Orrery")
	for _, l := range []struct{ list, kind, format string }{{"equipment", "assets", "xlsx"},
		{"references", "standards", "csv"}, {"histories", "histories", "xlsx"}} {
		read := lead.takesIn(t, l.kind, string(from.text(old, "/api/lists/"+l.list+"?format="+l.format)))
		require.Empty(t, read.Refused, l.list)
		require.Positive(t, read.Rows, l.list)
		was, is := from.rows(old, l.list), to.rows(lead, l.list)
		require.Len(t, is, len(was), l.list)
		for i := range was {
			for column, cell := range was[i] {
				if l.list == "equipment" && (column == "stands" || column == "why") {
					continue // that follows from runs, which are read back one by one
				}
				if x, err := strconv.ParseFloat(cell, 64); err == nil && l.format == "xlsx" { // which keeps fifteen digits
					y, err := strconv.ParseFloat(is[i][column], 64)
					require.NoError(t, err)
					assert.InDelta(t, x, y, 1e-14*math.Abs(x), "%s, %s of %s", l.list, column, was[i]["tag"])
					continue
				}
				assert.Equal(t, strings.ToLower(cell), strings.ToLower(is[i][column]), "%s, %s of %s", l.list,
					column, was[i]["tag"])
			}
		}
		again := decoded[workshop.ImportView](t, second(lead.sent(t, l.kind, string(to.text(lead, "/api/lists/"+l.list)))))
		assert.Zero(t, again.Rows, "%s stands in the record already", l.list)
	}
	_, err := to.ledger.Verify()
	require.NoError(t, err)
}

// rows are those of a list, by the names of their columns; those of one day are in no order of its hours.
func (h *house) rows(c *client, list string) (rows []map[string]string) {
	h.t.Helper()
	all, err := csv.NewReader(strings.NewReader(string(h.text(c, "/api/lists/"+list)))).ReadAll()
	require.NoError(h.t, err)
	for _, cells := range all[1:] {
		row := map[string]string{}
		for i, name := range all[0] {
			row[name] = cells[i]
		}
		rows = append(rows, row)
	}
	key := func(r map[string]string) string {
		return strings.ToLower(strings.Join([]string{r["tag"], r["on"], r["title"], r["run"]}, " "))
	}
	slices.SortStableFunc(rows, func(a, b map[string]string) int { return strings.Compare(key(a), key(b)) })
	return rows
}

// A list changes devices that the register has: what it would change is shown first, it needs a reason, and the reason stands
// in their histories. It brings nothing back into use, moves no due day beyond a rule, and undoes what another height undoes.
func TestAListChangesWhatIsKnown(t *testing.T) {
	h := newHouse(t)
	lead := h.signedIn("Tamsin Orrery")
	lead.takesIn(t, "assets", "tag,serial,maker,model,family,site,place,risk,last_done,months,next_due\n"+
		"MV-1,S1,Ostrel,C2,capnograph,Merrowby General,Ward 1,4,2025-11-20,12,2026-11-20\n"+
		"MV-2,S2,Ostrel,C2,capnograph,Merrowby General,Ward 1,4,2025-11-20,12,2026-11-20\n"+
		"MV-3,S3,Ostrel,C2,capnograph,Merrowby General,Ward 1,4,2025-11-20,12,2026-11-20\n"+
		"MV-4,S4,Ostrel,C2,capnograph,Merrowby General,Ward 1,4,2025-11-20,12,2026-11-20\n"+
		"MV-5,S5,Ostrel,P2,patient-scale,Merrowby General,Ward 1,4,2025-11-20,12,2026-11-20\n")
	posted[workshop.AssetView](lead, "/api/assets/MV-3/whereabouts", order{"to": "out of use", "reason": "a cracked case"})
	const list = "tag,serial,maker,model,family,site,place,status,risk,last_done,months,next_due\n" +
		"MV-1,S9,Ostrel,C2,capnograph,Merrowby General,Ward 2,in use,5,20.11.2025,6,\n" +
		"MV-2,S2,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,20.11.2025,12,20.11.2026\n" +
		"MV-3,S3,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,20.11.2025,12,\n" +
		"MV-4,S4,Ostrel,C2,ventilator,Merrowby General,Ward 1,in use,4,20.11.2025,12,\n"
	status, _ := lead.sent(t, "assets&days=day-month-year&update=false", list)
	require.Equal(t, 200, status)
	read := decoded[workshop.ImportView](t, second(lead.sent(t, "assets&days=day-month-year&update=true", list)))
	var changes, refused []string
	for _, c := range read.Changes {
		changes = append(changes, fmt.Sprintf("%s %s %s>%s", c.Tag, c.Field, c.From, c.To))
	}
	for _, r := range read.Refused {
		refused = append(refused, fmt.Sprint(r.Line, " ", r.Field))
	}
	assert.Equal(t, []string{"MV-1 serial S1>S9", "MV-1 risk 4>5", "MV-1 place Ward 1>Ward 2", "MV-1 months 12>6",
		"MV-1 next_due 2026-11-20>2026-05-20"}, changes)
	assert.Equal(t, []string{"4 status", "5 family"}, refused)
	assert.Equal(t, []int{1, 1, 2}, []int{read.Changed, read.Same, read.Rows})
	assert.Contains(t, string(h.text(lead, "/api/imports/"+read.ID+"/refused.csv")),
		"MV-3,S3,Ostrel,C2,capnograph,Merrowby General,Ward 1,in use,4,20.11.2025,12,,4,status,")

	_, problem := lead.call("POST", "/api/imports/"+read.ID, order{"go": true})
	assert.Contains(t, string(problem), "Say why one device is changed")
	posted[workshop.ImportView](lead, "/api/imports/"+read.ID, order{"go": true, "reason": "the count of March"})
	require.Eventually(t, func() bool { return get[workshop.ImportView](lead, "/api/imports/"+read.ID).State == "done" },
		30*time.Second, 20*time.Millisecond)
	v := get[workshop.AssetView](lead, "/api/assets/MV-1")
	assert.Equal(t, []any{"S9", "Ward 2", 5}, []any{v.Serial, v.Place, v.Risk})
	history := get[[]workshop.HappenedView](lead, "/api/history/device/MV-1")
	assert.Equal(t, "the count of March", history[0].Why)
	assert.NotContains(t, string(h.text(lead, "/api/history/device/MV-2")), "the count of March")

	// Another height undoes what depends on it, and the list says so before.
	read = decoded[workshop.ImportView](t, second(lead.sent(t, "assets&update=true",
		"tag,maker,model,family,site\nMV-5,Ostrel,P2,patient-scale,Far Ridge Clinic\n")))
	require.Len(t, read.Changes, 2)
	assert.Contains(t, read.Changes[0].Note, "height")
	assert.Equal(t, []string{"place", ""}, []string{read.Changes[1].Field, read.Changes[1].To}, "the old place is at the other site no more")
	posted[workshop.ImportView](lead, "/api/imports/"+read.ID, order{"go": true, "reason": "moved"})
	require.Eventually(t, func() bool { return get[workshop.ImportView](lead, "/api/imports/"+read.ID).State == "done" },
		30*time.Second, 20*time.Millisecond)
	assert.Equal(t, device.InDoubt, get[workshop.AssetView](lead, "/api/assets/MV-5").State)
	h.agrees(t)
}

// Two leads take one list in at once: it is in once, and whoever came second is told so and has nothing of it. People as well.
func TestOneListIsTakenInByTwoAtOnce(t *testing.T) {
	h := newHouse(t)
	one, other := h.signedIn("Tamsin Orrery"), h.signedIn("Tamsin Orrery")
	list := "tag,maker,model,family,site\n"
	for i := range 40 {
		list += fmt.Sprintf("TW-%d,Ostrel,C2,capnograph,Merrowby General\n", i)
	}
	reads := []workshop.ImportView{}
	for _, c := range []*client{one, other} {
		reads = append(reads, decoded[workshop.ImportView](t, second(c.sent(t, "assets", list))))
	}
	var both sync.WaitGroup
	for i, c := range []*client{one, other} {
		both.Go(func() { c.call("POST", "/api/imports/"+reads[i].ID, order{"go": true}) })
	}
	both.Wait()
	states := []string{}
	for _, read := range reads {
		var v workshop.ImportView
		require.Eventually(t, func() bool {
			v = get[workshop.ImportView](one, "/api/imports/"+read.ID)
			return v.State != "running"
		}, 30*time.Second, 20*time.Millisecond)
		if states = append(states, v.State); v.State == "failed" {
			assert.Contains(t, v.Why, "Nothing of it stays.")
			assert.NotContains(t, v.Why, "UNIQUE", "said in words")
		}
	}
	assert.ElementsMatch(t, []string{"done", "failed"}, states)
	assert.Len(t, h.all(t, one, url.Values{"search": {"TW-"}}), 40)
	assert.Equal(t, 40, decoded[workshop.ImportView](t, second(other.sent(t, "assets", list))).Count, "read again, all are known")

	assert.Equal(t, "import-gone", one.problem("/api/imports/of-another-start", order{"go": true}, 409).Code)

	keeper, again := h.signedIn("Bram Ostley"), h.signedIn("Bram Ostley")
	people := []byte("name,role\nWren Halloway,technician\n")
	answers := make([]int, 2)
	for i, c := range []*client{keeper, again} {
		both.Go(func() {
			answers[i], _ = c.upload("/api/house/people-list?take=true", "application/octet-stream", people)
		})
	}
	both.Wait()
	wrens := 0
	for _, p := range get[workshop.HouseView](keeper, "/api/house").People {
		if p.Name == "Wren Halloway" {
			wrens++
		}
	}
	assert.Equal(t, 1, wrens, "answered with %v", answers)
}
