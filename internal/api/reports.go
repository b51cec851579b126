package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/core/report"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

func registerReports(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"report", http.MethodGet, "/api/report", "What a time of work came to", person.Look, 0, nil},
		func(ctx context.Context, in *workshop.ReportQuery) (out workshop.ReportView, err error) {
			return shop.Report(ctx, *in)
		})
	serveFile(api, operation{"report-paper", http.MethodGet, "/api/report.pdf", "The report on paper", person.Look, 0,
		nil}.as("application/pdf"),
		func(ctx context.Context, in *workshop.ReportQuery) (workshop.File, error) {
			return shop.ReportPaper(ctx, *in)
		})
	serve(api, operation{"set-prices", http.MethodPost, "/api/house/prices", "What the lab reckons with",
		person.SetPrices, 0, nil},
		func(ctx context.Context, in *struct{ Body report.Prices }) (out workshop.HouseView, err error) {
			if err := shop.SetPrices(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.House()
		})
}
