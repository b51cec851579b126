package demo

// workingDay is the scenario's: ferries run on Tuesday and Thursday, the boat is in on
// Wednesday, and the ridge is an hour's drive.
func workingDay() map[string]any {
	ferry := func(name string, travel int) map[string]any {
		return map[string]any{
			"height":   12,
			"name":     name,
			"travel":   travel,
			"weekdays": []int{2, 4},
			"from":     "09:40",
			"until":    "15:20",
			"why":      "the ferry runs on Tuesday and Thursday",
		}
	}
	return map[string]any{"from": "08:00", "until": "16:30", "home": sites[0].name, "within": 5, "capacity": 28,
		"sites": []map[string]any{{"name": sites[0].name, "travel": 0, "height": 20}, ferry(sites[1].name, 45),
			ferry(sites[2].name, 55), {"name": sites[3].name, "travel": 60, "height": 1240},
			{"name": sites[4].name, "travel": 15, "height": 2, "weekdays": []int{3}, "why": "the boat is in on Wednesday"}},
		"hands": map[string]float64{"Bring": 2, "Step": 1, "Record": 1.5, "Typed": 1, "Linked": 0.4, "Finding": 2,
			"Sign": 2}}
}
