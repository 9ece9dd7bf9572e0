package kitchen

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/assess"
)

// StartKind is what is begun for a service.
type StartKind string

// The kinds, in the order in which they come.
const (
	StartThaw    StartKind = "thaw"
	StartTakeOut StartKind = "take_out"
	StartSalt    StartKind = "salt"
	StartCut     StartKind = "cut"
	StartPutUp   StartKind = "put_up"
	StartClose   StartKind = "close"
)

// Name is what is done, in words.
func (k StartKind) Name() string {
	return map[StartKind]string{StartThaw: "Plan the thaw", StartTakeOut: "Take out of ageing", StartSalt: "Salt", StartCut: "Cut",
		StartPutUp: "Put up", StartClose: "Close the service"}[k]
}

// Start is something that is begun at a time, for a dish to be ready.
type Start struct {
	At     time.Time
	Kind   StartKind
	Serve  time.Time
	ID     uuid.UUID   // of the service
	Dish   ServiceDish // the zero dish of what is for all of them
	Row    *Row        // the lot; nil for what is for a dish
	Plates int
	Kg     float64
	By     string // the method of a thaw
}

// What people usually need (house): to cut where the dish does not say, to bring fish out of ageing, and after its hour until a service
// is over.
const (
	cutAhead   = 90 * time.Minute
	takeOut    = time.Hour
	closeAfter = 4 * time.Hour
)

// Starts are what is to be begun for services with what is reserved for them, the soonest first.
func Starts(list []PlannedService) (starts []Start) {
	for _, s := range list {
		for _, d := range s.Dishes {
			starts = append(starts, d.starts(s.Service)...)
		}
		if len(s.Dishes) > 0 {
			starts = append(starts, Start{At: s.At.Add(closeAfter), Kind: StartClose, Serve: s.At, ID: s.ID})
		}
	}
	slices.SortStableFunc(starts, func(a, b Start) int { return a.At.Compare(b.At) })
	return starts
}

// starts are those of a dish: of each lot what comes next, and once for the dish that it is put up.
func (d PlannedDish) starts(s Service) (starts []Start) {
	putUp := Start{At: s.At.Add(-d.PutUp), Kind: StartPutUp, Serve: s.At, ID: s.ID, Dish: d.ServiceDish}
	for _, r := range d.Reserved {
		if r.Against != "" || r.PutUpAt != nil {
			continue
		}
		start := Start{Serve: s.At, ID: s.ID, Dish: d.ServiceDish, Row: &r.Row, Plates: r.Plates, Kg: r.Kg}
		ahead := cmp.Or(d.Cut, cutAhead)
		switch {
		case r.Thaw != nil && !r.Thawing:
			start.Kind, start.At, start.By = StartThaw, s.At.Add(-r.Thaw.Lead), r.Thaw.Method.Name
		case r.hangs():
			start.Kind, start.At = StartTakeOut, s.At.Add(-ahead-takeOut)
		case r.Offer.Cut && r.Thaw == nil:
			start.Kind, start.At = StartCut, s.At.Add(-ahead)
		case d.Salt > 0 && r.Thaw == nil:
			start.Kind, start.At = StartSalt, s.At.Add(-d.Salt)
		}
		if start.Kind != "" {
			starts = append(starts, start)
		}
		putUp.Plates, putUp.Kg = putUp.Plates+r.Plates, putUp.Kg+r.Kg
	}
	if putUp.Plates > 0 && d.StationID != 0 {
		starts = append(starts, putUp)
	}
	return starts
}

// To is the page, below that of the kitchen, on which it is done.
func (s Start) To() string {
	switch s.Kind {
	case StartThaw:
		return fmt.Sprintf("/service/%s/thaw/%s", s.ID, s.Dish.ID)
	case StartTakeOut:
		return fmt.Sprintf("/lots/%s/ageing", s.Row.LotID)
	case StartSalt:
		return fmt.Sprintf("/lots/%s", s.Row.LotID)
	case StartCut:
		return fmt.Sprintf("/bench/cut/%s", s.Row.LotID)
	case StartClose:
		return fmt.Sprintf("/service/%s/close", s.ID)
	}
	return "/service#" + s.ID.String()
}

// Shortage is a dish of a service that there is not enough fish for.
type Shortage struct {
	Service Service
	Dish    PlannedDish
}

// Fell reports whether fish that was reserved may not be served any more.
func (s Shortage) Fell() bool { return len(s.Dish.Fallen()) > 0 }

// shortAhead is how far ahead plates that are missing are worth an alarm: later ones are for the order.
const shortAhead = 24 * time.Hour

// Shortages are the dishes of services to come that want somebody now, the soonest first: of which reserved fish fell, or for which in
// the next day fish is missing.
func Shortages(list []PlannedService, now time.Time) (short []Shortage) {
	for _, s := range list {
		if !s.At.After(now) {
			continue
		}
		for _, d := range s.Dishes {
			if len(d.Fallen()) > 0 && d.There() < d.Wanted || d.Missing() > 0 && s.At.Sub(now) <= shortAhead {
				short = append(short, Shortage{s.Service, d})
			}
		}
	}
	return short
}

// serviceDue lists what is to be begun for services until a time.
func (k *Kitchen) serviceDue(ctx context.Context, until time.Time) (due []Due, err error) {
	list, err := k.Planned(ctx)
	if err != nil {
		return nil, fmt.Errorf("planning services: %w", err)
	}
	for _, s := range Starts(list) {
		if s.At.After(until) {
			continue
		}
		d := Due{Action: assess.Action{Do: s.Kind.Name(), Due: s.At, Why: "for " + s.Serve.In(ActorFrom(ctx).Zone()).Format("Mon 15:04")},
			To: s.To(), Service: s.ID}
		if s.Dish.Name != "" {
			d.Name, d.Why = s.Dish.Name, fmt.Sprintf("%d plates, %s", s.Plates, d.Why)
		}
		if s.Row != nil {
			d.Code = s.Row.Code
		}
		due = append(due, d)
	}
	for _, s := range Shortages(list, k.Now()) {
		if s.Fell() {
			due = append(due, Due{Action: assess.Action{Do: "Mend the plan", Due: k.Now().Truncate(time.Minute),
				Why: fmt.Sprintf("%s %s: it was reserved for %s",
					s.Dish.Fallen()[0].Code, s.Dish.Fallen()[0].Against, s.Service.At.In(ActorFrom(ctx).Zone()).Format("Mon 15:04"))}, Name: s.Dish.Name,
				To: fmt.Sprintf("/service/%s/fix/%s", s.Service.ID, s.Dish.ID)})
		}
	}
	return due, nil
}
