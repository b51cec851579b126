package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// ReferencePath names a standard, by its id or tag.
type ReferencePath struct {
	ID string `path:"id" maxLength:"60"`
}

func registerReferences(api huma.API, shop *workshop.Workshop) {
	serve(api, operation{"reference", http.MethodGet, "/api/standards/{id}",
		"One reference standard: certificates, chain, use, gas book", person.Look, 0, nil},
		func(ctx context.Context, in *ReferencePath) (out workshop.ReferenceView, err error) {
			return shop.Reference(in.ID, who(ctx))
		})
	serve(api, operation{"enter-reference", http.MethodPost, "/api/standards",
		"Enter a reference standard with its certificate", person.KeepReferences, 0, nil},
		func(ctx context.Context, in *struct {
			Body workshop.NewReference
		}) (out workshop.ReferenceView, err error) {
			if err := shop.EnterReference(in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Reference(in.Body.ID, who(ctx))
		})
	serve(api, operation{"certify", http.MethodPost, "/api/standards/{id}/certificates",
		"Give a reference standard a new certificate", person.KeepReferences, 0, nil},
		func(ctx context.Context, in *struct {
			ReferencePath
			Body struct {
				ID          string                   `json:"id" minLength:"8" maxLength:"60" doc:"made by the client; a retry enters nothing twice"`
				Certificate workshop.CertificateBody `json:"certificate"`
			}
		}) (out workshop.ReferenceView, err error) {
			if err := shop.Certify(in.ID, in.Body.ID, in.Body.Certificate, who(ctx)); err != nil {
				return out, err
			}
			return shop.Reference(in.ID, who(ctx))
		})
	serve(api, operation{"reference-status", http.MethodPost, "/api/standards/{id}/status",
		"Put a reference into quarantine, release or retire it", person.KeepReferences, 0, nil},
		func(ctx context.Context, in *struct {
			ReferencePath
			Body struct {
				Status string `json:"status" enum:"usable,quarantined,retired"`
				Note   string `json:"note" maxLength:"1000"`
			}
		}) (out workshop.ReferenceView, err error) {
			if err := shop.SetStatus(in.ID, in.Body.Status, in.Body.Note, who(ctx)); err != nil {
				return out, err
			}
			return shop.Reference(in.ID, who(ctx))
		})
	serve(api, operation{"send-out-reference", http.MethodPost, "/api/standards/{id}/away",
		"A reference is sent out, or is back", person.KeepReferences, 0, nil},
		func(ctx context.Context, in *struct {
			ReferencePath
			Body workshop.SentOut
		}) (out workshop.ReferenceView, err error) {
			if err := shop.SendOut(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Reference(in.ID, who(ctx))
		})
	serve(api, operation{"set-reference-checks", http.MethodPost, "/api/standards/{id}/check-rule",
		"How often a reference is checked between its certificates", person.KeepReferences, 0, nil},
		func(ctx context.Context, in *struct {
			ReferencePath
			Body workshop.CheckRule
		}) (out workshop.ReferenceView, err error) {
			if err := shop.SetChecks(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Reference(in.ID, who(ctx))
		})
	serve(api, operation{"check-reference", http.MethodPost, "/api/standards/{id}/checks",
		"Note a check of a reference between its certificates", person.CheckReferences, 0, nil},
		func(ctx context.Context, in *struct {
			ReferencePath
			Body workshop.CheckDone
		}) (out workshop.ReferenceView, err error) {
			if err := shop.NoteCheck(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Reference(in.ID, who(ctx))
		})
	serve(api, operation{"read-gauge", http.MethodPost, "/api/standards/{id}/gauge",
		"Note a reading of a cylinder's gauge", person.ReadGauges, 0, nil},
		func(ctx context.Context, in *struct {
			ReferencePath
			Body workshop.GaugeReading
		}) (out workshop.ReferenceView, err error) {
			if err := shop.ReadGauge(in.ID, in.Body, who(ctx)); err != nil {
				return out, err
			}
			return shop.Reference(in.ID, who(ctx))
		})
}
