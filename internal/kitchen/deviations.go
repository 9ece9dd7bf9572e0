package kitchen

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/access"
	"leancatch/internal/core/alarm"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/haccp"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/store"
)

// Deviation is where a limit of the safety plan was not kept, or nobody knows whether it was, and what was done about it.
type Deviation struct {
	ID        uuid.UUID // of the alarm, or of the entry of the lot
	At        time.Time
	Until     *time.Time // nil while it lasts, and of what has no length
	Of        string     // which place or lot
	To        string     // its page, below that of the kitchen
	What      string     // in words
	MeasuredC *float64
	LimitC    *float64
	Line      string // of the plan that it points to, by its id
	Done      []DeviationDone
	Lasts     bool           // an alarm that goes on
	Read      *DeviationRead // by a second person; nil for not yet
}

// DeviationDone is what somebody did about one.
type DeviationDone struct {
	At           time.Time
	Person, What string
}

// DeviationRead says who read it, as the second person, and when.
type DeviationRead struct {
	At           time.Time
	Person, Note string
}

// ReadBy reports whether a person may be the second: something was done, and by others.
func (d Deviation) ReadBy(person string) bool {
	return len(d.Done) > 0 && !slices.ContainsFunc(d.Done, func(x DeviationDone) bool { return x.Person == person })
}

// deviates are the kinds of alarm by which a limit is not kept, or nobody knows: a door that keeps opening breaks none.
var deviates = []alarm.Kind{alarm.Warm, alarm.Silent, alarm.Disagree}

// Deviations lists those of a span, the last first.
func (k *Kitchen) Deviations(ctx context.Context, span coldchain.Span) ([]Deviation, error) {
	list, err := k.placeDeviations(ctx, span)
	if err != nil {
		return nil, err
	}
	for x, err := range k.RecordLots(ctx, span) {
		if err != nil {
			return nil, err
		}
		list = append(list, lotDeviations(ActorFrom(ctx), x, span)...)
	}
	ids := make([]uuid.UUID, len(list))
	for i, d := range list {
		ids[i] = d.ID
	}
	read, err := k.DB.DeviationsRead(ctx, store.DeviationsReadParams{SiteID: ActorFrom(ctx).Site.ID, Deviations: ids})
	if err != nil {
		return nil, fmt.Errorf("loading who read the deviations: %w", err)
	}
	for _, r := range read {
		if i := slices.Index(ids, r.DeviationID); i >= 0 {
			list[i].Read = &DeviationRead{r.At, r.Person, r.Note}
		}
	}
	slices.SortStableFunc(list, func(a, b Deviation) int { return b.At.Compare(a.At) })
	return list, nil
}

func (k *Kitchen) placeDeviations(ctx context.Context, span coldchain.Span) ([]Deviation, error) {
	alarms, err := k.AlarmsBetween(ctx, span)
	if err != nil {
		return nil, err
	}
	places, err := k.Places(ctx)
	if err != nil {
		return nil, err
	}
	var list []Deviation
	for _, e := range alarms {
		if !slices.Contains(deviates, e.What()) {
			continue
		}
		d := Deviation{ID: e.ID, At: e.Since, Until: e.EndedAt, Of: e.Place, To: "/cold/alarms/" + e.ID.String(), What: e.What().Name(),
			Lasts: e.Lasts()}
		if e.What() == alarm.Warm {
			d.MeasuredC, d.LimitC = &e.WorstC, &e.LimitC
		}
		if i := slices.IndexFunc(places, func(p PlaceView) bool { return p.ID == e.PlaceID }); i >= 0 {
			d.Line = haccp.OfAlarm(e.What(), places[i].Place)
		}
		for _, x := range slices.Backward(e.Actions) {
			what := x.Action
			if x.Note != "" {
				what += ": " + x.Note
			}
			d.Done = append(d.Done, DeviationDone{x.At, x.Person, what})
		}
		list = append(list, d)
	}
	return list, nil
}

// lotDeviations are those of a lot: fish that came too warm, that its scheme refused, that was held or sent back.
func lotDeviations(a Actor, x RecordLot, span coldchain.Span) []Deviation {
	var list []Deviation
	of := x.Species().Name + " " + x.Received.Code
	add := func(e Entry, line, what string) *Deviation {
		if !span.Has(e.HappenedAt) || x.Voids[e.ID] != nil {
			return nil
		}
		list = append(list, Deviation{ID: e.ID, At: e.HappenedAt, Of: of, To: "/lots/" + x.ID.String(), What: what, Line: line,
			Done: followed(x, e)})
		return &list[len(list)-1]
	}
	for _, e := range x.Entries {
		switch p := e.Payload.(type) {
		case lot.Received:
			limit := a.Profile().ReceiveLimit(x.Species())
			if p.Frozen {
				limit = a.Profile().FrozenMaxC
			}
			if p.CoreC != nil && *p.CoreC > limit {
				if d := add(e, haccp.Core, "Received too warm"); d != nil {
					d.MeasuredC, d.LimitC = p.CoreC, &limit
				}
			}
		case lot.Inspected:
			if p.Decision == freshness.Refuse || p.Decision == freshness.Hold {
				add(e, haccp.Quality, "Inspected: "+p.Decision.Name())
			}
		case lot.Held:
			add(e, haccp.Quality, "On hold: "+p.Reason)
		case lot.Refused:
			if x.Received.CoreC == nil || *x.Received.CoreC <= a.Profile().ReceiveLimit(x.Species()) {
				add(e, haccp.Quality, "Refused: "+p.Reason)
			}
		}
	}
	return list
}

// answers are the kinds of entry by which a deviation of a lot is answered.
var answers = []lot.Kind{lot.KindFor[lot.Released](), lot.KindFor[lot.Refused](), lot.KindFor[lot.Discarded](), lot.KindFor[lot.Temperature](),
	lot.KindFor[lot.Inspected](), lot.KindFor[lot.Tested](), lot.KindFor[lot.GapExplained](), lot.KindFor[lot.Held]()}

// followed is what was done about an entry: it itself where it sends the fish away or holds it, and what came after it until that was
// settled.
func followed(x RecordLot, of Entry) []DeviationDone {
	var done []DeviationDone
	say := func(e Entry) { done = append(done, DeviationDone{e.HappenedAt, e.Person, answerText(e)}) }
	switch p := of.Payload.(type) {
	case lot.Held, lot.Refused:
		say(of)
	case lot.Inspected:
		if p.Decision == freshness.Refuse || p.Decision == freshness.Hold {
			say(of)
		}
	}
	for _, e := range x.Entries {
		if e.Seq > of.Seq && slices.Contains(answers, e.Kind) && x.Voids[e.ID] == nil {
			say(e)
			if e.Kind != lot.KindFor[lot.Temperature]() {
				break
			}
		}
	}
	return done
}

// answerText is an entry that answers a deviation, in words.
func answerText(e Entry) string {
	text := e.Kind.Name()
	switch p := e.Payload.(type) {
	case lot.Released:
		text += ": " + p.Reason
	case lot.Refused:
		text += ": " + p.Reason
	case lot.Held:
		text += ": " + p.Reason
	case lot.Temperature:
		text = fmt.Sprintf("measured %.1f °C", p.Celsius)
	case lot.Inspected:
		text += ": " + p.Decision.Name()
	}
	if e.Approver != "" {
		text += ", approved by " + e.Approver
	}
	return text
}

// readWithin is within what time a second person reads a deviation, and DeviationsBack how far back those are that wait for it.
const (
	readWithin     = 7 * 24 * time.Hour
	DeviationsBack = 8 * readWithin
)

// deviationsDue asks a second person, each week, to read the deviations that were answered.
func (k *Kitchen) deviationsDue(ctx context.Context, until time.Time) ([]Due, error) {
	now := k.Now()
	kinds := make([]string, len(deviates))
	for i, kind := range deviates {
		kinds[i] = string(kind)
	}
	row, err := k.DB.DeviationsUnread(ctx, store.DeviationsUnreadParams{SiteID: ActorFrom(ctx).Site.ID, Kinds: kinds,
		FromAt: now.Add(-DeviationsBack), ToAt: now})
	if err != nil {
		return nil, fmt.Errorf("counting the deviations that nobody read: %w", err)
	}
	if row.Waiting == 0 || row.First.Add(readWithin).After(until) {
		return nil, nil
	}
	return []Due{{Action: assess.Action{Do: "Read", Due: row.First.Add(readWithin), Why: "a second person reads what was done, each week"},
		Name: fmt.Sprintf("%d deviations", row.Waiting), To: "/records/inspector/deviations"}}, nil
}

// ReadDeviations says that the actor, as a second person, read deviations and what was done about them. Errors are on note and deviations.
func (k *Kitchen) ReadDeviations(ctx context.Context, ids []uuid.UUID, note string) error {
	a := ActorFrom(ctx)
	if err := a.need(access.Write); err != nil {
		return err
	}
	var bad invalid.Errors
	if note = strings.TrimSpace(note); invalid.TooLong(note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
	if len(ids) == 0 {
		bad.Add("deviations", "choose what you read")
	}
	if err := bad.Err(); err != nil {
		return err
	}
	now := k.Now()
	list, err := k.Deviations(ctx, coldchain.Span{From: now.Add(-DeviationsBack), To: now})
	if err != nil {
		return err
	}
	for _, id := range ids {
		i := slices.IndexFunc(list, func(d Deviation) bool { return d.ID == id })
		switch {
		case i < 0:
			return ErrNotFound
		case len(list[i].Done) == 0:
			bad.Add("deviations", "%s, %s: nothing was done about it yet", list[i].Of, list[i].What)
		case !list[i].ReadBy(a.Person.Name):
			bad.Add("deviations", "%s, %s: you acted on it yourself; another reads it", list[i].Of, list[i].What)
		}
	}
	if err := bad.Err(); err != nil {
		return err
	}
	return k.DB.Write(ctx, func(tx *store.Tx) error {
		for _, id := range ids {
			if err := tx.ReadDeviation(ctx, store.ReadDeviationParams{SiteID: a.Site.ID, DeviationID: id, At: now, PersonID: a.Person.ID,
				Note: note}); err != nil {
				return fmt.Errorf("keeping that a deviation was read: %w", err)
			}
		}
		return tx.Changed(ctx, a.Site.ID)
	})
}
