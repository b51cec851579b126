package api

import (
	"context"
	"net/http"

	"northneedle/core/person"
	"northneedle/internal/workshop"

	"github.com/danielgtaylor/huma/v2"
)

// Linked is how somebody outside shows the secret of their link: in a header, so that it stands in no address and no log.
type Linked struct {
	Secret string `header:"X-Needle-Link" maxLength:"200" doc:"what stands after the # in the link"`
}

// registerTelling is who outside is told of which devices, what was sent, and their page.
func registerTelling(api huma.API, shop *workshop.Workshop) {
	telling := func(ctx context.Context, err error) (workshop.TellingView, error) {
		if err != nil {
			return workshop.TellingView{}, err
		}
		return shop.Telling(who(ctx))
	}
	serve(api, operation{"telling", http.MethodGet, "/api/telling", "Who outside is told, and what was sent",
		person.Look, 0, nil},
		func(ctx context.Context, _ *struct{}) (workshop.TellingView, error) { return telling(ctx, nil) })
	serve(api, operation{"set-mail-rules", http.MethodPost, "/api/telling/rules", "When what is due is sent",
		person.KeepContacts, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.MailRules }) (workshop.TellingView, error) {
			return telling(ctx, shop.SetMailRules(in.Body, who(ctx)))
		})
	serve(api, operation{"set-contact", http.MethodPost, "/api/telling/contacts", "Enter who is told, or change one",
		person.KeepContacts, 0, nil},
		func(ctx context.Context, in *struct{ Body workshop.ContactOrder }) (workshop.TellingView, error) {
			return telling(ctx, shop.SetContact(in.Body, who(ctx)))
		})
	serve(api, operation{"change-link", http.MethodPost, "/api/telling/contacts/{id}",
		"Stop telling somebody, make a new link to their page, or mail the link", person.KeepContacts, 0, nil},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"40"`
			Body struct {
				Do  string `json:"do" enum:"end,link,mail"`
				Why string `json:"why,omitempty" maxLength:"1000" doc:"where they are told no more"`
			}
		}) (workshop.TellingView, error) {
			switch in.Body.Do {
			case "end":
				return telling(ctx, shop.EndContact(in.ID, in.Body.Why, who(ctx)))
			case "link":
				return telling(ctx, shop.NewLink(in.ID, who(ctx)))
			}
			return telling(ctx, shop.MailLink(in.ID, who(ctx)))
		})
	serve(api, operation{"send-letter", http.MethodPost, "/api/telling/letters/{id}", "Try a mail now that was not sent",
		person.SendNotices, 0, nil},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"200"`
		}) (workshop.TellingView, error) {
			return telling(ctx, shop.TryAgain(ctx, in.ID, who(ctx)))
		})
	serve(api, operation{"told", http.MethodGet, "/api/told", "What somebody outside sees by their link",
		person.Public, 0, nil},
		func(ctx context.Context, in *struct {
			Linked
			Search string `query:"search" maxLength:"100"`
		}) (workshop.ToldPage, error) {
			return shop.Told(ctx, in.Secret, in.Search)
		})
	serve(api, operation{"answer-told", http.MethodPost, "/api/told/answers", "Answer a notice, by a link",
		person.Public, 0, nil},
		func(ctx context.Context, in *struct {
			Linked
			Body workshop.MayAnswer
		}) (out workshop.ToldPage, err error) {
			if err := shop.AnswerTold(in.Secret, in.Body); err != nil {
				return out, err
			}
			return shop.Told(ctx, in.Secret, "")
		})
	serve(api, operation{"report-told", http.MethodPost, "/api/told/faults", "Report a fault, by a link",
		person.Public, 0, nil},
		func(ctx context.Context, in *struct {
			Linked
			Body workshop.ToldFault
		}) (out workshop.ToldPage, err error) {
			if err := shop.ReportTold(ctx, in.Secret, in.Body); err != nil {
				return out, err
			}
			return shop.Told(ctx, in.Secret, in.Body.Tag)
		})
}
