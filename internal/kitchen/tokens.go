package kitchen

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/access"
	"leancatch/internal/core/invalid"
	"leancatch/internal/store"
)

// Token bounds what a program may do, within what the person may as whom it acts.
type Token struct {
	ID       int64
	Name     string
	Scopes   []string
	ProbeIDs []int64 // whose readings it may send, where it may do nothing else
}

// allows reports whether the scopes of a token cover a right.
func (t Token) allows(right access.Right) bool {
	switch right {
	case access.Read:
		return slices.Contains(t.Scopes, string(access.ScopeRead))
	case access.Send:
		return slices.Contains(t.Scopes, string(access.ScopeReadings)) || slices.Contains(t.Scopes,
			string(access.ScopeWrite))
	case access.Write, access.Buy, access.Equip, access.Manage:
		return slices.Contains(t.Scopes, string(access.ScopeWrite))
	}
	return false // people and their secrets are no business of programs
}

// MaySendOf reports whether the actor may send the readings of a probe.
func (a Actor) MaySendOf(probe int64) bool {
	return a.Token == nil || len(a.Token.ProbeIDs) == 0 || slices.Contains(a.Token.ProbeIDs, probe)
}

// ShowsCalendar reports whether a token may show what is due to a calendar.
func (t Token) ShowsCalendar() bool { return slices.Contains(t.Scopes, string(access.ScopeCalendar)) }

// NewToken is a token to be made.
type NewToken struct {
	Name     string
	Scopes   []access.Scope
	ProbeIDs []int64 // with ScopeReadings
}

// AddToken makes a token of the JSON API that acts as the actor. It is returned
// once; only its hash is kept.
func (k *Kitchen) AddToken(ctx context.Context, n NewToken) (text string, err error) {
	a := ActorFrom(ctx)
	right := access.Staff
	if slices.Equal(n.Scopes, []access.Scope{access.ScopeReadings}) {
		right = access.Equip
	}
	if err := a.need(right); err != nil {
		return "", err
	}
	var bad invalid.Errors
	n.Name = strings.TrimSpace(n.Name)
	if n.Name == "" || invalid.TooLong(n.Name, 60) {
		bad.Add("name", "say what it is for, in at most 60 characters")
	}
	scopes := make([]string, len(n.Scopes))
	for i, s := range n.Scopes {
		if scopes[i] = string(s); !slices.Contains(access.Scopes, s) {
			bad.Add("scopes", "%q is none", s)
		}
	}
	sends := slices.Contains(n.Scopes, access.ScopeReadings)
	switch {
	case len(n.Scopes) == 0:
		bad.Add("scopes", "choose what it may do")
	case len(n.Scopes) > 1 && (sends || slices.Contains(n.Scopes, access.ScopeCalendar)):
		bad.Add("scopes", "a token that sends readings, or shows a calendar, does nothing else")
	case sends && len(n.ProbeIDs) == 0:
		bad.Add("probes", "choose the probes whose readings it may send")
	case !sends && len(n.ProbeIDs) > 0:
		bad.Add("probes", "only a token that sends readings has probes")
	}
	probes, err := k.DB.Probes(ctx, a.Site.ID)
	if err != nil {
		return "", err
	}
	for _, id := range n.ProbeIDs {
		if !slices.ContainsFunc(probes, func(p store.Probe) bool { return p.ID == id }) {
			bad.Add("probes", "choose probes of this kitchen")
		}
	}
	if err := bad.Err(); err != nil {
		return "", err
	}
	text, hash := newSecret("lc_")
	now := k.Now()
	return text, k.DB.Write(ctx, func(tx *store.Tx) error {
		if sends && len(n.ProbeIDs) == 1 { // it replaces the one that the probe had
			if err := tx.RevokeProbeTokens(ctx,
				store.RevokeProbeTokensParams{Now: &now, SiteID: a.Site.ID, ProbeID: n.ProbeIDs[0]}); err != nil {
				return err
			}
		}
		err := tx.AddToken(ctx, store.AddTokenParams{SiteID: a.Site.ID, Name: n.Name, Hash: hash,
			PersonID: a.Person.ID, CreatedAt: now, Scopes: scopes, ProbeIds: append([]int64{}, n.ProbeIDs...)})
		if err != nil {
			return fmt.Errorf("making a token: %w", err)
		}
		return k.audit(ctx, tx, a.Site.ID, a.Person, ActToken, n.Name+": "+strings.Join(scopes, ", "))
	})
}

// TokenEntry is a token in force as the list shows it.
type TokenEntry struct {
	ID         int64
	Name       string
	Scopes     []string
	Person     string // as whom it acts
	CreatedAt  time.Time
	LastUsedAt *time.Time
}

// Tokens lists the tokens of the actor's kitchen.
func (k *Kitchen) Tokens(ctx context.Context) ([]TokenEntry, error) {
	rows, err := k.DB.Tokens(ctx, ActorFrom(ctx).Site.ID)
	return mapped(rows, err, func(r store.TokensRow) TokenEntry {
		t := r.ApiToken
		return TokenEntry{ID: t.ID, Name: t.Name, Scopes: t.Scopes, Person: r.Person, CreatedAt: t.CreatedAt,
			LastUsedAt: t.LastUsedAt}
	})
}

// RevokeToken ends a token.
func (k *Kitchen) RevokeToken(ctx context.Context, id int64) error {
	a, now := ActorFrom(ctx), k.Now()
	if err := a.need(access.Staff); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		name, err := tx.RevokeToken(ctx, store.RevokeTokenParams{SiteID: a.Site.ID, ID: id, RevokedAt: &now})
		if err != nil {
			return err
		}
		return k.audit(ctx, tx, a.Site.ID, a.Person, ActRevoked, "token "+name)
	})
}

// usedEvery is how exactly the last use of a token is known.
const usedEvery = time.Minute

// ActorOfToken returns who acts with a token, ErrNoActor for one that is not known.
func (k *Kitchen) ActorOfToken(ctx context.Context, token string) (Actor, error) {
	ctx = store.Everywhere(ctx)
	row, err := k.DB.UseToken(ctx, hashOf(token))
	if errors.Is(err, ErrNotFound) {
		return Actor{}, ErrNoActor
	} else if err != nil {
		return Actor{}, err
	}
	t := row.ApiToken
	now := k.Now()
	if t.LastUsedAt == nil || now.Sub(*t.LastUsedAt) > usedEvery {
		if err := k.DB.SeeToken(ctx, store.SeeTokenParams{SiteID: t.SiteID, ID: t.ID, LastUsedAt: &now}); err != nil {
			return Actor{}, err
		}
	}
	return Actor{Site: Site(row.Site), Person: Person(row.Person), Token: &Token{t.ID, t.Name, t.Scopes, t.ProbeIds}},
		nil
}
