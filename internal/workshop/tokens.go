package workshop

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/hex"
	"strings"
	"time"

	"northneedle/core/person"
	"northneedle/internal/ledger"

	"github.com/oklog/ulid/v2"
)

// TokenView is a secret that reads without a person signing in.
type TokenView struct {
	ID      string     `json:"id"`
	Kind    string     `json:"kind" enum:"program,calendar"`
	Purpose string     `json:"purpose"`
	Owner   string     `json:"owner"`
	Only    []string   `json:"only" doc:"the operations that it reads, by their ids; none: all that reading is"`
	At      time.Time  `json:"at"`
	Ended   *time.Time `json:"ended,omitempty"`
	Mine    bool       `json:"mine"`
}

// NewToken is a secret, shown this once.
type NewToken struct {
	Secret string      `json:"secret" doc:"shown this once: a program sends it as Authorization: Bearer …; a calendar reads it as a link"`
	Tokens []TokenView `json:"tokens"`
}

// TokenOrder makes a secret.
type TokenOrder struct {
	Kind    string   `json:"kind" enum:"program,calendar"`
	Purpose string   `json:"purpose,omitempty" maxLength:"100" doc:"which program, for what"`
	Only    []string `json:"only,omitempty" maxItems:"100" doc:"the operations that it may read, by their ids; left out: all that reading is"`
}

// secretPrefix begins every secret, so that one that was written down by mistake is found.
const secretPrefix = "needle_"

func hashOf(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}

// Tokens are one's own; whoever makes tokens for programs sees everybody's.
func (ws *Workshop) Tokens(who person.Person) ([]TokenView, error) {
	rows, err := ws.Ledger.Tokens()
	if err != nil {
		return nil, err
	}
	name, err := ws.names()
	if err != nil {
		return nil, err
	}
	all := []TokenView{}
	for _, t := range rows {
		if mine := t.PersonID == who.ID; mine || person.Can(who.Role, person.MakeTokens) {
			only := t.Only
			if only == nil {
				only = []string{}
			}
			all = append(all, TokenView{t.ID, t.Kind, t.Purpose, name[t.PersonID], only, t.At, t.Ended, mine})
		}
	}
	return all, nil
}

// MakeToken makes a secret: one for a program, or the link of one's own calendar, whose earlier one ends.
func (ws *Workshop) MakeToken(o TokenOrder, who person.Person) (made NewToken, err error) {
	now := ws.Clock()
	records := []any{}
	if o.Kind == ledger.OfProgram {
		if err := mayDo(who, person.MakeTokens); err != nil {
			return made, err
		}
		if o.Purpose = strings.TrimSpace(o.Purpose); o.Purpose == "" {
			return made, invalid("purpose", "Say which program it is for, and what it does.")
		}
	} else {
		o.Purpose, o.Only = "calendar", nil
		rows, err := ws.Ledger.Tokens()
		if err != nil {
			return made, err
		}
		for _, t := range rows {
			if t.Kind == ledger.OfCalendar && t.PersonID == who.ID && t.Ended == nil {
				t.Ended = &now
				records = append(records, &t)
			}
		}
	}
	made.Secret = secretPrefix + rand.Text()
	records = append(records, &ledger.Token{ID: ulid.Make().String(), Kind: o.Kind, Purpose: o.Purpose,
		PersonID: who.ID, Only: o.Only,
		Hash: hashOf(made.Secret), At: now})
	if err := ws.Ledger.Record(ws.act("", o.Kind+"'s token made", who, ""), records...); err != nil {
		return made, err
	}
	if o.Kind == ledger.OfCalendar {
		made.Secret = "/feed/" + made.Secret + ".ics"
	}
	made.Tokens, err = ws.Tokens(who)
	return made, err
}

// EndToken ends a token of one's own, or any where one makes tokens for programs.
func (ws *Workshop) EndToken(id string, who person.Person) ([]TokenView, error) {
	rows, err := ws.Ledger.Tokens()
	if err != nil {
		return nil, err
	}
	for _, t := range rows {
		if t.ID != id || t.PersonID != who.ID && !person.Can(who.Role, person.MakeTokens) {
			continue
		}
		if t.Ended == nil {
			now := ws.Clock()
			t.Ended = &now
			if err := ws.Ledger.Record(ws.act("", t.Kind+"'s token ended", who, ""), &t); err != nil {
				return nil, err
			}
		}
		return ws.Tokens(who)
	}
	return nil, ledger.ErrNotFound
}

// TokenOf is the token of a secret, where it stands and its owner may still sign in.
func (ws *Workshop) TokenOf(ctx context.Context, kind, secret string) (t ledger.Token, ok bool, err error) {
	rows, err := ws.Ledger.Tokens()
	if err != nil {
		return t, false, err
	}
	hash := hashOf(secret)
	for _, t := range rows {
		if subtle.ConstantTimeCompare([]byte(t.Hash), []byte(hash)) != 1 || t.Kind != kind || t.Ended != nil {
			continue
		}
		owner, err := ws.Ledger.Person(ctx, t.PersonID)
		return t, err == nil && owner.Active && person.Can(owner.Role, person.Look), err
	}
	return t, false, nil
}
