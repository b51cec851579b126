package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/core/report"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// JobPath names a job.
type JobPath struct {
	ID string `path:"id" maxLength:"60"`
}

func registerJobs(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"clauses", http.MethodGet, "/api/clauses",
		"What inspectors ask to see, by the clauses that they go by",
		person.CheckRecord, 0, nil},
		func(context.Context, *struct{}) ([]report.Clause, error) { return shop.Clauses() })
	serve(api, operation{"pack", http.MethodPost, "/api/packs", "Put together what an inspector asks to see",
		person.HandOutPacks, 0, nil},
		func(ctx context.Context, in *workshop.PackQuery) (workshop.JobView, error) {
			return shop.Pack(*in, who(ctx))
		})
	serve(api, operation{"job", http.MethodGet, "/api/jobs/{id}", "How far one's own job is", person.Look, 0, nil},
		func(ctx context.Context, in *JobPath) (workshop.JobView, error) { return shop.Job(in.ID, who(ctx)) })
	serveNothing(api, operation{"stop-job", http.MethodPost, "/api/jobs/{id}/stop", "Stop one's own job", person.Look, 0, nil},
		func(ctx context.Context, in *JobPath) error { return shop.StopJob(in.ID, who(ctx)) })
	serveFile(api, operation{"job-file", http.MethodGet, "/api/jobs/{id}/file", "What one's own job ended in", person.Look, 0,
		nil}.as("application/pdf", "application/zip"),
		func(ctx context.Context, in *JobPath) (workshop.File, error) { return shop.JobFile(in.ID, who(ctx)) })
}
