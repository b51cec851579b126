package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// mostText is how long a request with a procedure in it may be, in bytes.
const mostText = 700_000

// DraftPath is which draft is meant.
type DraftPath struct {
	ID string `path:"id" minLength:"8" maxLength:"60" doc:"of the draft; made by the client where it is begun"`
}

// RevisionPath is which revision is meant.
type RevisionPath struct {
	Hash string `path:"hash" minLength:"64" maxLength:"64" doc:"of the revision"`
}

// registerProcedures is reading, drafting and releasing procedures.
func registerProcedures(api huma.API, s *Server) {
	shop := s.shop
	serve(api, operation{"procedure-text", http.MethodGet, "/api/procedures/{id}", "A procedure in use, as it is written",
		person.Look, 0, nil},
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) (out workshop.ProcedureText, err error) {
			out.Text, err = shop.ProcedureText(in.ID)
			return out, err
		})
	serve(api, operation{"procedure-revisions", http.MethodGet, "/api/procedures/{id}/revisions",
		"Every kept revision of a procedure, and how it came into use", person.Look, 0, nil},
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"60"`
		}) ([]workshop.ProcedureRevision, error) {
			return shop.ProcedureRevisions(in.ID)
		})
	serve(api, operation{"revision-text", http.MethodGet, "/api/revisions/{hash}", "A revision of a procedure, as it is written",
		person.Look, 0, nil},
		func(_ context.Context, in *RevisionPath) (out workshop.ProcedureText, err error) {
			out.Text, err = shop.RevisionText(in.Hash)
			return out, err
		})
	serve(api, operation{"compare-revisions", http.MethodGet, "/api/revisions/{hash}/since/{before}",
		"What changed from one revision to another", person.Look, 0, nil},
		func(_ context.Context, in *struct {
			RevisionPath
			Before string `path:"before" minLength:"64" maxLength:"64" doc:"hash of the revision before"`
		}) ([]workshop.DiffLine, error) {
			return shop.CompareRevisions(in.Before, in.Hash)
		})
	serveFile(api, operation{"work-instruction", http.MethodGet, "/api/revisions/{hash}/instruction",
		"A revision of a procedure as a work instruction", person.Look, 0, nil}.as("application/pdf"),
		func(_ context.Context, in *RevisionPath) (workshop.File, error) { return shop.Instruction(in.Hash) })
	serve(api, operation{"procedure-templates", http.MethodGet, "/api/writing/templates", "Procedures to begin one's own from",
		person.DraftProcedures, 0, nil},
		func(context.Context, *struct{}) ([]workshop.ProcedureTemplate, error) {
			return shop.ProcedureTemplates()
		})
	serve(api, operation{"procedure-choices", http.MethodGet, "/api/writing/choices",
		"What can be picked in writing a procedure", person.DraftProcedures, 0, nil},
		func(context.Context, *struct{}) (workshop.ProcedureChoices, error) { return shop.Choices() })
	serve(api, operation{"check-procedure", http.MethodPost, "/api/writing/check", "What is wrong with a procedure as it is written",
		person.DraftProcedures, mostText, nil},
		func(_ context.Context, in *struct{ Body workshop.ProcedureText }) (workshop.ProcedureCheck, error) {
			return shop.CheckProcedure(in.Body.Text)
		})
	serve(api, operation{"try-procedure", http.MethodPost, "/api/writing/try", "Try a procedure on simulated devices",
		person.DraftProcedures, mostText, nil},
		func(_ context.Context, in *struct{ Body workshop.ProcedureText }) (workshop.DryRun, error) {
			return shop.DryRun(in.Body.Text)
		})
	registerDrafts(api, s)
}

// registerDrafts is procedures that are being written, and their release.
func registerDrafts(api huma.API, s *Server) {
	shop := s.shop
	serve(api, operation{"drafts", http.MethodGet, "/api/drafts", "Procedures that are being written", person.Look, 0, nil},
		func(ctx context.Context, _ *struct{}) ([]workshop.DraftBrief, error) { return shop.Drafts(who(ctx)) })
	serve(api, operation{"draft", http.MethodGet, "/api/drafts/{id}", "One of them with its text", person.Look, 0, nil},
		func(ctx context.Context, in *DraftPath) (workshop.DraftView, error) {
			return shop.Draft(in.ID, who(ctx))
		})
	serve(api, operation{"begin-draft", http.MethodPut, "/api/drafts/{id}", "Begin a draft; sent again it begins no second one",
		person.DraftProcedures, mostText, nil},
		func(ctx context.Context, in *struct {
			DraftPath
			Body workshop.DraftOrder
		}) (workshop.DraftView, error) {
			return shop.BeginDraft(in.ID, in.Body, who(ctx))
		})
	serve(api, operation{"write-draft", http.MethodPost, "/api/drafts/{id}", "Change a draft", person.DraftProcedures, mostText, nil},
		func(ctx context.Context, in *struct {
			DraftPath
			Body workshop.DraftOrder
		}) (workshop.DraftView, error) {
			return shop.WriteDraft(in.ID, in.Body, who(ctx))
		})
	serve(api, operation{"drop-draft", http.MethodPost, "/api/drafts/{id}/drop", "Give a draft up", person.DraftProcedures, 0, nil},
		func(ctx context.Context, in *struct {
			DraftPath
			Body struct {
				Version int    `json:"version" minimum:"1" doc:"that was read"`
				Why     string `json:"why" maxLength:"1000"`
			}
		}) (out workshop.DraftView, err error) {
			if err := shop.DropDraft(in.ID, in.Body.Version, in.Body.Why, who(ctx)); err != nil {
				return out, err
			}
			return shop.Draft(in.ID, who(ctx))
		})
	serve(api, operation{"release-draft", http.MethodPost, "/api/drafts/{id}/release", "Approve a draft for use from a day on",
		person.ReleaseProcedures, 0, nil},
		func(ctx context.Context, in *struct {
			DraftPath
			Body workshop.ReleaseOrder
		}) (out workshop.DraftView, err error) {
			shown, err := s.auth.Confirm(ctx, in.Body.Secret)
			if err != nil {
				return out, unconfirmed(err, "secret")
			}
			if err := shop.ReleaseDraft(in.ID, in.Body, shown, who(ctx)); err != nil {
				return out, err
			}
			return shop.Draft(in.ID, who(ctx))
		})
	serve(api, operation{"take-release-back", http.MethodPost, "/api/drafts/{id}/take-back",
		"Take a release back whose day has not come", person.ReleaseProcedures, 0, nil},
		func(ctx context.Context, in *struct {
			DraftPath
			Body struct {
				Why string `json:"why" maxLength:"1000"`
			}
		}) (out workshop.DraftView, err error) {
			if err := shop.TakeReleaseBack(in.ID, in.Body.Why, who(ctx)); err != nil {
				return out, err
			}
			return shop.Draft(in.ID, who(ctx))
		})
	serveFile(api, operation{"draft-instruction", http.MethodGet, "/api/drafts/{id}/instruction",
		"A draft as a work instruction, marked as not for use", person.Look, 0, nil}.as("application/pdf"),
		func(_ context.Context, in *DraftPath) (workshop.File, error) { return shop.DraftInstruction(in.ID) })
}
