package kitchen

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// needsManager begins the reason for which a lot is on hold until a manager approves what somebody
// wants to write.
const needsManager = "needs a manager: "

// canWait reports whether a payload may wait for a manager: it says what is so already. What puts fish
// somewhere is done when it is approved, or not at all.
func canWait(p lot.Payload) bool {
	switch p.(type) {
	case lot.Inspected, lot.GapExplained, lot.Released, lot.Voided, lot.Corrected:
		return true
	}
	return false
}

// CanWait reports whether all that is wrong is that no manager approved it, and the event may wait for one.
func CanWait(err error) bool {
	var w *waits
	return errors.As(err, &w)
}

// waits is what an event is refused for that may wait for a manager.
type waits struct{ invalid.Errors }

// Unwrap returns what is wrong, field by field.
func (w *waits) Unwrap() error { return w.Errors }

// orWait puts a lot on hold and asks a manager where that is what the actor wants of an event that only
// a manager may write; else it returns why the event was refused.
func (c *change) orWait(ctx context.Context, l *changedLot, w Write, refused error) error {
	var bad invalid.Errors
	if !errors.As(refused, &bad) || !bad.OnlyManager() || !canWait(w.Payload) {
		return refused
	}
	if !c.a.Asks {
		return &waits{bad}
	}
	var why []string
	if i, ok := w.Payload.(lot.Inspected); ok {
		why = i.Proposed.HardStops
	} else {
		for _, e := range bad {
			why = append(why, e.Message)
		}
	}
	data, err := json.Marshal(w.Payload)
	if err != nil {
		return err
	}
	r := store.AddRequestParams{SiteID: c.a.Site.ID, ID: w.EventID, LotID: l.head.ID, Kind: string(lot.KindOf(w.Payload)), Data: data,
		HappenedAt: w.HappenedAt.UTC().Truncate(time.Microsecond), Why: strings.Join(why, "; "), AskedAt: c.k.Now(), PersonID: c.a.Person.ID}
	hold := Write{EventID: NewID(), LotID: l.head.ID, HappenedAt: r.AskedAt}
	if i, ok := w.Payload.(lot.Inspected); ok { // what was seen is on record, whatever becomes of the rest
		i.Decision, i.Reason, hold.HappenedAt = freshness.Hold, needsManager+r.Why, w.HappenedAt
		r.Hold, hold.Payload = i.Reason, i
	} else if l.state.Hold == "" {
		r.Hold = needsManager + r.Why
		hold.Payload = lot.Held{Reason: r.Hold}
	}
	if hold.Payload != nil {
		if err := c.appendOne(ctx, l, hold); err != nil {
			return err
		}
	}
	return c.AddRequest(ctx, r)
}

// Request is an event that waits for a manager, or was not approved.
type Request struct {
	store.ApprovalRequest
	Payload  lot.Payload
	Person   string // who wants it written
	Answerer string // who did not approve it; "" while it waits
}

// Name is the kind of entry that is asked for.
func (r Request) Name() string { return lot.Kind(r.Kind).Name() }

// Requests lists what waits for a manager, the oldest first.
func (k *Kitchen) Requests(ctx context.Context) ([]Request, error) {
	rows, err := k.DB.RequestsWaiting(ctx, ActorFrom(ctx).Site.ID)
	return k.requests(ctx, rows, err)
}

// RequestsOf lists what waits for a manager of a lot, and what holds it because it was not approved.
func (k *Kitchen) RequestsOf(ctx context.Context, s *lot.State) ([]Request, error) {
	rows, err := k.DB.RequestsOfLot(ctx, store.RequestsOfLotParams{SiteID: ActorFrom(ctx).Site.ID, LotID: s.ID})
	rows = slices.DeleteFunc(rows, func(r store.ApprovalRequest) bool { return r.AnsweredAt != nil && r.Hold != s.Hold })
	return k.requests(ctx, rows, err)
}

func (k *Kitchen) requests(ctx context.Context, rows []store.ApprovalRequest, err error) ([]Request, error) {
	a := ActorFrom(ctx)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	people, err := k.DB.People(ctx, a.Site.ID)
	if err != nil {
		return nil, err
	}
	list := make([]Request, len(rows))
	for i, r := range rows {
		list[i].ApprovalRequest = r
		if list[i].Payload, err = lot.Decode(lot.Kind(r.Kind), r.Data); err != nil {
			return nil, fmt.Errorf("the request for %s: %w", r.LotID, err)
		}
		for _, p := range people {
			if p.ID == r.PersonID {
				list[i].Person = p.Name
			}
			if r.AnsweredBy != nil && p.ID == *r.AnsweredBy {
				list[i].Answerer = p.Name
			}
		}
	}
	return list, nil
}

// Answers are what a manager says to requests: all of them, or none.
type Answers struct {
	IDs     []uuid.UUID
	Approve bool
	Reason  string // for not approving
}

// AnswerRequests writes what was asked for, in the name of who asked and as approved by the actor, and
// ends the holds of it; or notes that it was not approved: then the lots stay on hold. The actor is a
// manager or the deputy of the shift, and nobody approves what they asked for themselves but a manager.
// Its errors are on the fields requests, reason and request-<id>.
func (k *Kitchen) AnswerRequests(ctx context.Context, in Answers) error {
	a := ActorFrom(ctx)
	byDeputy := !a.IsManager()
	var bad invalid.Errors
	if yes, err := k.Approves(ctx); err != nil {
		return err
	} else if !yes {
		bad.Add("requests", "a manager approves, or the deputy of the shift")
	}
	if len(in.IDs) == 0 {
		bad.Add("requests", "choose at least one")
	}
	if in.Reason = strings.TrimSpace(in.Reason); !in.Approve && in.Reason == "" || invalid.TooLong(in.Reason, 500) {
		bad.Add("reason", "say why not, in at most 500 characters")
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.change(ctx, func(c *change) error {
		requests, err := c.RequestsByID(ctx, store.RequestsByIDParams{SiteID: a.Site.ID, Ids: in.IDs})
		if err != nil {
			return err
		}
		at := k.Now()
		var granted []store.ApprovalRequest
		for _, r := range requests {
			n, err := c.AnswerRequest(ctx, store.AnswerRequestParams{SiteID: a.Site.ID, ID: r.ID, AnsweredAt: &at, AnsweredBy: &a.Person.ID,
				Approved: &in.Approve, Reason: in.Reason})
			if err != nil {
				return err
			}
			if n > 0 && in.Approve { // not answered in the meantime
				granted = append(granted, r)
			}
		}
		for _, r := range granted {
			if byDeputy && r.PersonID == a.Person.ID {
				bad.Add("request-"+r.ID.String(), "you asked for this yourself: another has to approve it")
				continue
			}
			if err := c.grant(ctx, r, a.Person, byDeputy); err != nil {
				var why invalid.Errors
				if !errors.As(err, &why) {
					return err
				}
				for _, e := range why {
					bad.Add("request-"+r.ID.String(), "%s", e.Message)
				}
			}
		}
		return bad.Err()
	})
}

// grant writes what was asked for, and ends the hold of it where nothing else of the lot waits or was not
// approved.
func (c *change) grant(ctx context.Context, r store.ApprovalRequest, by Person, byDeputy bool) error {
	asker, err := c.Person(ctx, store.PersonParams{SiteID: c.a.Site.ID, ID: r.PersonID})
	if err != nil {
		return err
	}
	p, err := lot.Decode(lot.Kind(r.Kind), r.Data)
	if err != nil {
		return err
	}
	before := c.a
	defer func() { c.a = before }()
	c.a = Actor{Site: before.Site, Person: Person(asker), Approver: &by, ByDeputy: byDeputy}
	w := Write{EventID: r.ID, LotID: r.LotID, HappenedAt: r.HappenedAt, Payload: p}
	l, err := c.openOne(ctx, w)
	if err != nil || l == nil {
		return err
	}
	if err := c.append(ctx, l, w); err != nil {
		return err
	}
	others, err := c.RequestsOfLot(ctx, store.RequestsOfLotParams{SiteID: before.Site.ID, LotID: r.LotID})
	if err != nil {
		return err
	}
	held := slices.ContainsFunc(others, func(o store.ApprovalRequest) bool { return o.AnsweredAt == nil || o.Hold == l.state.Hold })
	if held || !strings.HasPrefix(l.state.Hold, needsManager) {
		return nil
	}
	return c.append(ctx, l, Write{EventID: NewID(), LotID: r.LotID, HappenedAt: c.k.Now(),
		Payload: lot.Released{Reason: "approved: " + lot.Kind(r.Kind).Name()}})
}

// requestsDue are the requests that wait, as things to do.
func (k *Kitchen) requestsDue(ctx context.Context) ([]Due, error) {
	site := ActorFrom(ctx).Site
	rows, err := k.DB.RequestsDue(ctx, site.ID)
	return mapped(rows, err, func(r store.RequestsDueRow) Due {
		sp, _ := site.Catalogue().Get(r.Species)
		return Due{Action: assess.Action{Do: "Approve", Due: r.AskedAt, Why: r.Why}, Code: r.Code, LotID: r.LotID, Name: sp.Name, Approval: true}
	})
}

// Deputy is who approves beside the managers, for a shift.
type Deputy struct {
	Person
	Until   time.Time
	NamedBy string
}

// DeputyNow returns the deputy of the shift; ErrNotFound where there is none.
func (k *Kitchen) DeputyNow(ctx context.Context) (Deputy, error) {
	row, err := k.DB.DeputyAt(ctx, store.DeputyAtParams{SiteID: ActorFrom(ctx).Site.ID, At: k.Now()})
	return Deputy{Person(row.Person), row.ToAt, row.NamedBy}, err
}

// isDeputy reports whether a person is the deputy of the shift.
func (k *Kitchen) isDeputy(ctx context.Context, person int64) (bool, error) {
	d, err := k.DeputyNow(ctx)
	if errors.Is(err, ErrNotFound) {
		return false, nil
	}
	return err == nil && d.ID == person && access.Role(d.Role).May(access.Write), err
}

// Approves reports whether the actor may answer requests: a manager, or the deputy of the shift.
func (k *Kitchen) Approves(ctx context.Context) (bool, error) {
	a := ActorFrom(ctx)
	if a.IsManager() || a.Person.ID == 0 || a.Token != nil {
		return a.IsManager(), nil
	}
	return k.isDeputy(ctx, a.Person.ID)
}

// NameDeputy names who approves beside the managers until the day ends, in place of who did; 0 for nobody.
// Its errors are on the field deputy.
func (k *Kitchen) NameDeputy(ctx context.Context, id uuid.UUID, person int64) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Manage); err != nil {
		return err
	}
	at := k.Now()
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		if err := tx.EndDeputies(ctx, store.EndDeputiesParams{SiteID: a.Site.ID, At: at, But: id}); err != nil {
			return err
		}
		subject := "nobody"
		if person != 0 {
			p, err := tx.Person(ctx, store.PersonParams{SiteID: a.Site.ID, ID: person})
			if role := access.Role(p.Role); err != nil || p.LeftAt != nil || !role.May(access.Write) || role.May(access.Manage) {
				return invalid.Errors{{Field: "deputy", Message: "choose somebody of the kitchen who is no manager"}}
			}
			if err := tx.AddDeputy(ctx, store.AddDeputyParams{SiteID: a.Site.ID, ID: id, PersonID: person, FromAt: at,
				ToAt: assess.DayEnd(at, a.Zone()), NamedBy: a.Person.ID}); err != nil {
				return err
			}
			subject = p.Name
		}
		if err := k.audit(ctx, tx, a.Site.ID, a.Person, ActDeputy, subject); err != nil {
			return err
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
