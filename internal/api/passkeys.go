package api

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/people"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// asking is what a browser hands to a device with passkeys, as Web Authentication writes it in JSON.
type asking struct {
	Options any `json:"options" doc:"PublicKeyCredentialCreationOptionsJSON, or PublicKeyCredentialRequestOptionsJSON"`
}

// answer is what the device answered.
type answer struct {
	Credential map[string]any `json:"credential" doc:"AuthenticationResponseJSON"`
}

func (a answer) text() []byte {
	text, err := json.Marshal(a.Credential)
	if err != nil {
		return nil // it is no credential then
	}
	return text
}

func registerPasskeys(api huma.API, s *Server) {
	mine := func(ctx context.Context) ([]workshop.PasskeyView, error) {
		all, err := s.auth.MyPasskeys(ctx)
		return workshop.Passkeys(all), err
	}
	serve(api, operation{"my-passkeys", http.MethodGet, "/api/session/passkeys", "One's own passkeys",
		person.OwnAccount, 0, nil},
		func(ctx context.Context, _ *struct{}) ([]workshop.PasskeyView, error) { return mine(ctx) })
	serve(api, operation{"offer-passkey", http.MethodPost, "/api/session/passkeys/offer",
		"What a device is asked to make a passkey; its owner says their password", person.OwnAccount, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Password string `json:"password" maxLength:"200" doc:"empty right after the directory said who one is"`
			}
		}) (out asking, err error) {
			out.Options, err = s.auth.OfferPasskey(ctx, in.Body.Password)
			return out, unconfirmed(err, "password")
		})
	serve(api, operation{"keep-passkey", http.MethodPost, "/api/session/passkeys", "Keep the passkey that a device made",
		person.OwnAccount, 0, nil},
		func(ctx context.Context, in *struct {
			Body struct {
				Credential map[string]any `json:"credential" doc:"RegistrationResponseJSON"`
				Name       string         `json:"name" maxLength:"60" doc:"as its owner calls the device"`
			}
		}) ([]workshop.PasskeyView, error) {
			if err := s.auth.KeepPasskey(ctx, in.Body.Name, answer{in.Body.Credential}.text()); err != nil {
				return nil, unconfirmed(err, "credential")
			}
			return mine(ctx)
		})
	serve(api, operation{"end-passkey", http.MethodDelete, "/api/session/passkeys/{id}", "End a passkey of one's own",
		person.OwnAccount, 0, nil},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"1400"`
		}) ([]workshop.PasskeyView, error) {
			if err := s.auth.EndPasskey(ctx, in.ID); err != nil {
				return nil, err
			}
			return mine(ctx)
		})
	serve(api, operation{"ask-passkey", http.MethodPost, "/api/session/passkey/ask",
		"What a device is asked to show a passkey: at the sign-in, or for a signature", person.Public, 0, nil},
		func(ctx context.Context, _ *struct{}) (out asking, err error) {
			out.Options, err = s.auth.AskPasskey(ctx)
			return out, unconfirmed(err, "credential")
		})
	serve(api, operation{"sign-in-by-passkey", http.MethodPost, "/api/session/passkey/sign-in", "Sign in by a passkey",
		person.Public, 0, nil},
		func(ctx context.Context, in *struct{ Body answer }) (out workshop.SessionView, err error) {
			p, err := s.auth.SignInByPasskey(ctx, in.Body.text())
			if errors.Is(err, people.ErrNoPasskey) {
				return out, &Problem{Status: http.StatusUnauthorized, Title: "Not signed in", Code: "sign-in",
					Field:  "credential",
					Detail: workshop.Sentence(err)}
			}
			if err != nil {
				return out, unconfirmed(err, "credential")
			}
			return s.session(ctx, person.Person{ID: p.ID, Name: p.Name, Role: p.Role})
		})
	serve(api, operation{"confirm-by-passkey", http.MethodPost, "/api/session/passkeys/confirm",
		"Show one's passkey in place of the password, for one signature", person.OwnAccount, 0, nil},
		func(ctx context.Context, in *struct{ Body answer }) (out struct {
			Secret string `json:"secret" doc:"signs once, within two minutes"`
		}, err error) {
			out.Secret, err = s.auth.ConfirmByPasskey(ctx, in.Body.text())
			return out, unconfirmed(err, "credential")
		})
}
