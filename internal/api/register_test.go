package api_test

import (
	"cmp"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"northneedle/core/device"
	"northneedle/internal/ledger"
	"northneedle/internal/workshop"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// all are the devices that a query means, on all its pages.
func (h *house) all(t require.TestingT, c *client, query url.Values) (found []workshop.AssetBrief) {
	for from := 0; ; {
		query.Set("from", fmt.Sprint(from))
		page := get[workshop.AssetPageView](c, "/api/assets?"+query.Encode())
		found = append(found, page.Assets...)
		if from = page.Next; from == 0 {
			require.Equal(t, len(found), page.Total)
			return found
		}
	}
}

// Whatever the register is filtered and ordered by, it is what one finds who goes through all of it by hand.
func TestTheRegisterIsFilteredAsByHand(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	c.takesIn(t, "assets", "tag,serial,maker,model,family,site,place,owner,keeper,status,risk\n"+
		"FI-1,Z9,Ostrel,C2 capnograph,capnograph,Merrowby General,Ward 3,Ward 3,Noor Bexley,in use,5\n"+
		"FI-2,Z8,Ostrel,C2 capnograph,capnograph,Merrowby General,Ward 3,Ward 3,Idris Vail,retired,5\n"+
		"FI-3,Z7,Ostrel,C2 capnograph,capnograph,Quillet Island Clinic,Hall,Theatre,Idris Vail,not yet accepted,1\n")
	everything := slices.Concat(h.all(t, c, url.Values{}), h.all(t, c, url.Values{"status": {"retired"}}))
	require.Greater(t, len(everything), 100)
	choices := get[ledger.Choices](c, "/api/asset-choices?site=Merrowby+General")
	assert.Contains(t, choices.Places, "Ward 3")
	assert.Equal(t, []string{"Theatre", "Ward 3"}, choices.Owners)
	days := map[string]int{"overdue": 0, "week": 7, "month": 30, "quarter": 91}
	today := time.Date(h.now.Year(), h.now.Month(), h.now.Day(), 0, 0, 0, 0, h.now.Location())
	keys := map[string]func(a workshop.AssetBrief) string{
		"tag": func(a workshop.AssetBrief) string { return "" }, "device": func(a workshop.AssetBrief) string { return a.Device },
		"family": func(a workshop.AssetBrief) string { return a.Family }, "place": func(a workshop.AssetBrief) string { return a.Site + "\n" + a.Place },
		"serial": func(a workshop.AssetBrief) string { return a.Serial }, "owner": func(a workshop.AssetBrief) string { return a.Owner },
		"keeper": func(a workshop.AssetBrief) string { return a.Keeper }, "risk": func(a workshop.AssetBrief) string { return fmt.Sprint(a.Risk) },
		"due": func(a workshop.AssetBrief) string {
			if a.DueOn == nil {
				return "9"
			}
			return a.DueOn.Format(time.DateOnly)
		},
	}
	rapid.Check(t, func(rt *rapid.T) {
		some := rapid.SampledFrom(everything).Draw(rt, "some device")
		query, want := url.Values{}, everything
		keep := func(field, value string, of func(workshop.AssetBrief) bool) {
			if rapid.Bool().Draw(rt, field) {
				query.Set(field, value)
				want = slices.Clone(want)
				want = slices.DeleteFunc(want, func(a workshop.AssetBrief) bool { return !of(a) })
			}
		}
		keep("family", some.Family, func(a workshop.AssetBrief) bool { return a.Family == some.Family })
		keep("model", some.Device, func(a workshop.AssetBrief) bool { return a.Device == some.Device })
		keep("site", some.Site, func(a workshop.AssetBrief) bool { return a.Site == some.Site })
		keep("state", string(some.State), func(a workshop.AssetBrief) bool { return a.State == some.State })
		keep("risk", fmt.Sprint(some.Risk), func(a workshop.AssetBrief) bool { return a.Risk == some.Risk })
		due := rapid.SampledFrom([]string{"overdue", "week", "month", "quarter", "none"}).Draw(rt, "due")
		keep("due", due, func(a workshop.AssetBrief) bool {
			if due == "none" {
				return a.DueOn == nil
			}
			return a.DueOn != nil && a.DueOn.Before(today.AddDate(0, 0,
				days[due])) && a.State != device.Retired && a.State != device.OutOfUse
		})
		if some.Owner != "" {
			keep("owner", some.Owner, func(a workshop.AssetBrief) bool { return a.Owner == some.Owner })
			keep("keeper", some.Keeper, func(a workshop.AssetBrief) bool { return a.Keeper == some.Keeper })
		}
		keep("search", some.Serial, func(a workshop.AssetBrief) bool {
			return strings.Contains(strings.ToLower(strings.Join([]string{a.Tag, a.Serial, a.Device, a.Family, a.Site,
				a.Place, a.Owner, a.Keeper}, " ")),
				strings.ToLower(some.Serial))
		})
		if !query.Has("state") && !query.Has("search") {
			want = slices.DeleteFunc(slices.Clone(want), func(a workshop.AssetBrief) bool { return a.State == device.Retired })
		}
		order := rapid.SampledFrom(ledger.AssetOrders).Draw(rt, "order")
		query.Set("sort", order)
		key := keys[order]
		got := h.all(rt, c, query)
		var tags, wanted []string
		for _, a := range got {
			tags = append(tags, a.Tag)
		}
		slices.SortStableFunc(want, func(a, b workshop.AssetBrief) int {
			return cmp.Or(cmp.Compare(key(a), key(b)), cmp.Compare(a.Tag, b.Tag))
		})
		for _, a := range want {
			wanted = append(wanted, a.Tag)
		}
		if order == "due" { // days of one hour each: held by day
			slices.Sort(tags)
			slices.Sort(wanted)
			assert.True(rt, slices.IsSortedFunc(got, func(a, b workshop.AssetBrief) int { return cmp.Compare(key(a), key(b)) }))
		}
		assert.Equal(rt, wanted, tags, "%v", query)
	})
}

// A change of many devices touches exactly those that the page showed. It shows what it would change first, and needs a reason.
func TestDevicesAreChangedTogether(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	shown := get[workshop.AssetPageView](c, "/api/assets?family=patient-scale&site=Merrowby+General")
	require.Greater(t, shown.Total, 2)
	refused := c.problem("/api/assets/together?family=patient-scale&site=Merrowby+General",
		order{"count": shown.Total + 1, "keeper": "Noor Bexley"}, 422)
	assert.Contains(t, refused.Detail, "look again")
	read := posted[workshop.ImportView](c, "/api/assets/together?family=patient-scale&site=Merrowby+General",
		order{"count": shown.Total, "keeper": "Noor Bexley", "owner": "Nursing", "due": "2026-08-01"})
	assert.Equal(t, shown.Total, read.Changed+read.Same+read.Count)
	require.Positive(t, read.Changed)
	posted[workshop.ImportView](c, "/api/imports/"+read.ID, order{"go": true, "reason": "one round for all of them"})
	require.Eventually(t, func() bool { return get[workshop.ImportView](c, "/api/imports/"+read.ID).State == "done" },
		30*time.Second, 20*time.Millisecond)
	kept := get[workshop.AssetPageView](c, "/api/assets?keeper=Noor+Bexley")
	assert.Equal(t, shown.Total-read.Count, kept.Total)
	put := 0
	for _, a := range kept.Assets {
		for _, activity := range get[workshop.AssetView](c, "/api/assets/"+a.ID).Activities {
			if strings.Contains(activity.Words, "one round for all of them") {
				put++
			}
		}
	}
	assert.Positive(t, put, "what is put off says by whom and why")
	trainee := h.signedIn("Fenn Castellan")
	status, _ := trainee.call("POST", "/api/assets/together?family=patient-scale", order{"count": 3, "keeper": "me"})
	assert.Equal(t, 403, status)
}

// Today counts all that is due, whatever it shows of it: as who adds up the list by hand, for each site, each person and each
// week. What is retired counts no more, and the calendar leaves nothing out.
func TestTodayCountsAllOfIt(t *testing.T) {
	h := newHouse(t)
	c := h.signedIn("Tamsin Orrery")
	list := "tag,maker,model,family,site,keeper,status,next_due\n"
	for i := range 150 {
		list += fmt.Sprintf("CO-%03d,Ostrel,C2 capnograph,capnograph,%s,%s,in use,%s\n", i,
			[]string{"Merrowby General", "Quillet Island Clinic", "Elmsgate"}[i%3], []string{"", "Noor Bexley"}[i%2],
			h.now.AddDate(0, 0, i%60-20).Format(time.DateOnly))
	}
	c.takesIn(t, "assets", list)
	posted[workshop.AssetView](c, "/api/assets/CO-000/whereabouts", order{"to": "retired", "reason": "sold"})
	all := h.rows(c, "due")
	keepers := map[string]string{}
	for _, row := range h.rows(c, "equipment") {
		keepers[row["tag"]] = row["keeper"]
	}
	today, fortnight := h.now.Format(time.DateOnly), h.now.AddDate(0, 0, 14).Format(time.DateOnly)
	for _, q := range []url.Values{{}, {"site": {"Elmsgate"}}, {"keeper": {"Noor Bexley"}}, {"site": {"Elmsgate"},
		"keeper": {"Noor Bexley"}}} {
		view := get[workshop.TodayView](c, "/api/today?"+q.Encode())
		overdue, due, weeks := 0, 0, make([]int, len(view.Weeks))
		for _, row := range all {
			assert.NotEqual(t, "CO-000", row["tag"])
			if q.Get("site") != "" && row["site"] != q.Get("site") || q.Get("keeper") != "" && keepers[row["tag"]] != q.Get("keeper") {
				continue
			}
			switch {
			case row["due"] < today:
				overdue++
				continue
			case row["due"] < fortnight:
				due++
			}
			for i := len(weeks) - 1; i >= 0; i-- {
				if row["due"] >= string(view.Weeks[i].Monday) {
					end, err := time.Parse(time.DateOnly, string(view.Weeks[i].Monday))
					require.NoError(t, err)
					if row["due"] < end.AddDate(0, 0, 7).Format(time.DateOnly) {
						weeks[i]++
					}
					break
				}
			}
		}
		assert.Equal(t, []int{overdue, due}, []int{view.OverdueCount, view.DueCount}, "%v", q)
		for i, w := range view.Weeks {
			assert.Equal(t, weeks[i], w.Due, "%v, week from %s", q, w.Monday)
		}
		for _, g := range slices.Concat(view.Sites, view.Keepers) {
			if g.Name == q.Get("site") && g.Name != "" && q.Get("keeper") == "" {
				assert.Equal(t, []int{overdue, due}, []int{g.Overdue, g.Due})
			}
		}
		assert.LessOrEqual(t, len(view.Overdue), 40)
	}
	_, calendar := c.call("GET", posted[workshop.NewToken](c, "/api/tokens", order{"kind": "calendar"}).Secret, nil)
	assert.GreaterOrEqual(t, strings.Count(string(calendar), "BEGIN:VEVENT"), len(all))
}
