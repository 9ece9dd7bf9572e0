package interchange

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/cutting"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/history"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/thawing"
)

// draft reads the own fields of a kind of event, and says what they come to in a lot.
type draft func(r *historyReader, field string, data []byte) func(history.Moment) (lot.Payload, error)

// drafts are the kinds of event of which the server fills something in; others are read as they are.
var drafts = map[lot.Kind]draft{
	lot.KindFor[lot.Inspected](): draftOf(inspectedHere), lot.KindFor[lot.Froze](): draftOf(frozeHere),
	lot.KindFor[lot.Pulled](): draftOf(pulledHere), lot.KindFor[lot.Hung](): draftOf(hungHere),
	lot.KindFor[lot.Tested](): draftOf(testedHere), lot.KindFor[lot.Iced](): draftOf(icedHere),
	lot.KindFor[lot.Voided](): draftOf(voidedHere), lot.KindFor[lot.Cut](): cutDraft}

// elsewhere are kinds of event that are written by other means than as an event of a history.
var elsewhere = []lot.Kind{lot.KindFor[lot.Received](), lot.KindFor[lot.Split](), lot.KindFor[lot.SplitFrom](), lot.KindFor[lot.SplitOff](),
	lot.KindFor[lot.Sent](), lot.KindFor[lot.Arrived](),
	lot.KindFor[lot.Photographed](), lot.KindFor[lot.Checked](), lot.KindFor[lot.Complaint](), lot.KindFor[lot.Reviewed](),
	lot.KindFor[lot.Logger]()}

func (r *historyReader) events() {
	for i, data := range r.in.Events {
		r.event(fmt.Sprintf("events[%d]", i), data)
	}
}

func (r *historyReader) event(field string, data []byte) {
	var all map[string]json.RawMessage
	if err := json.Unmarshal(data, &all); err != nil {
		r.bad.Add(field, "is no object")
		return
	}
	var kind lot.Kind
	var at, recorded time.Time
	var manager bool
	for name, into := range map[string]any{"kind": &kind, "at": &at, "recorded_at": &recorded, "by_manager": &manager} {
		if text, given := all[name]; given {
			if err := json.Unmarshal(text, into); err != nil {
				r.bad.Add(field+"."+name, "cannot be read")
			}
			delete(all, name)
		}
	}
	switch {
	case kind.Name() == "":
		r.bad.Add(field+".kind", "%q is not known", kind)
		return
	case slices.Contains(elsewhere, kind):
		r.bad.Add(field+".kind", "%q is written elsewhere", kind)
		return
	case at.IsZero():
		r.bad.Add(field+".at", "is missing")
		return
	}
	if recorded.IsZero() {
		recorded = at
	}
	r.lot.Events = append(r.lot.Events, history.Event{At: at, RecordedAt: recorded, ByManager: manager, Draft: r.draft(field, kind, all)})
}

// draft reads the own fields of an event; nil, with an error noted, where they cannot be read.
func (r *historyReader) draft(field string, kind lot.Kind, all map[string]json.RawMessage) func(history.Moment) (lot.Payload, error) {
	if text, given := all["place_id"]; given { // the client's name for it
		var id string
		if err := json.Unmarshal(text, &id); err != nil {
			r.bad.Add(field+".place_id", "is not a name of a place")
			return nil
		}
		all["place_id"], _ = json.Marshal(r.placeID(field+".place_id", id))
	}
	own, err := json.Marshal(all)
	if err != nil {
		r.unreadable(field, err)
		return nil
	}
	if kind == lot.KindFor[lot.Corrected]() {
		return r.correction(field, own)
	}
	if make, special := drafts[kind]; special {
		return make(r, field, own)
	}
	p, err := lot.Decode(kind, own)
	if err != nil {
		r.unreadable(field, unwrapped(err))
		return nil
	}
	return func(history.Moment) (lot.Payload, error) { return p, nil }
}

// correction says anew what another event of the request said, in the words of that one.
func (r *historyReader) correction(field string, data []byte) func(history.Moment) (lot.Payload, error) {
	var in struct {
		Index  int                        `json:"index"`
		Data   map[string]json.RawMessage `json:"data"`
		Reason string                     `json:"reason"`
	}
	if err := strict(data, &in); err != nil {
		r.unreadable(field, err)
		return nil
	}
	var old struct {
		Kind lot.Kind `json:"kind"`
	}
	if in.Index < 0 || in.Index >= len(r.in.Events) || json.Unmarshal(r.in.Events[in.Index], &old) != nil || !old.Kind.Correctable() {
		r.bad.Add(field+".index", "is no event that can be corrected")
		return nil
	}
	anew := r.draft(field+".data", old.Kind, in.Data)
	return func(m history.Moment) (lot.Payload, error) {
		id, ok := m.EventID(in.Index)
		if !ok {
			return nil, invalid.Errors{{Field: "index", Message: "is no event before this one"}}
		}
		p, err := anew(m)
		if err != nil {
			return nil, err
		}
		text, err := json.Marshal(p)
		return lot.Corrected{EventID: id, Data: text, Reason: in.Reason}, err
	}
}

// unwrapped is the innermost error.
func unwrapped(err error) error {
	for {
		inner, ok := err.(interface{ Unwrap() error })
		if !ok || inner.Unwrap() == nil {
			return err
		}
		err = inner.Unwrap()
	}
}

// draftOf reads fields into a struct, by its tags.
func draftOf[In any](make func(In, history.Moment) (lot.Payload, error)) draft {
	return func(r *historyReader, field string, data []byte) func(history.Moment) (lot.Payload, error) {
		var in In
		if err := strict(data, &in); err != nil {
			r.unreadable(field, err)
			return nil
		}
		return func(m history.Moment) (lot.Payload, error) { return make(in, m) }
	}
}

// cutDraft reads a cut, whose parts name places in the client's words. What is not said is all that there is, by usual
// proportions and to the service. The record goes on with the first part that stays.
func cutDraft(r *historyReader, field string, data []byte) func(history.Moment) (lot.Payload, error) {
	var in struct {
		lot.Cut
		Parts []struct {
			lot.CutPart
			PlaceID string `json:"place_id"`
		} `json:"parts"`
	}
	if err := strict(data, &in); err != nil {
		r.unreadable(field, err)
		return nil
	}
	cut := in.Cut
	for i, part := range in.Parts {
		p := part.CutPart
		if part.PlaceID != "" {
			p.PlaceID = r.placeID(fmt.Sprintf("%s.parts[%d].place_id", field, i), part.PlaceID)
		}
		if p.To == "" {
			p.To = cutting.ToService
			if p.Form == cutting.Waste {
				p.To = cutting.ToBin
			}
		}
		if p.LotID = uuid.Nil; !p.To.Leaves() {
			p.LotID = uuid.New()
		}
		cut.Parts = append(cut.Parts, p)
	}
	return func(m history.Moment) (lot.Payload, error) {
		cut := cut
		if cut.Count == 0 {
			cut.Count = m.State.Count
		}
		if cut.WeightKg == 0 {
			cut.WeightKg = m.State.WeightKg * float64(cut.Count) / float64(m.State.Count)
		}
		return cut, nil
	}
}

type inspectedIn struct {
	Scheme   string             `json:"scheme"`
	Fish     []freshness.Fish   `json:"fish"`
	Decision freshness.Decision `json:"decision"`
	Reason   string             `json:"reason"`
}

// inspectedHere is what the scheme makes of the fish.
func inspectedHere(in inspectedIn, m history.Moment) (lot.Payload, error) {
	scheme, err := assess.ChooseScheme(assess.FittingSchemes(freshness.Schemes(), m.State), in.Scheme)
	if err != nil {
		return nil, err
	}
	for i, fish := range in.Fish {
		if err := scheme.CheckFor(m.State.Species(), fish); err != nil {
			return nil, invalid.Errors{{Field: fmt.Sprintf("fish[%d]", i), Message: err.Error()}}
		}
	}
	a := m.Assess()
	p := lot.Inspected{Scheme: scheme.ID, SchemeVersion: scheme.Version, Fish: in.Fish, Decision: in.Decision, Reason: in.Reason,
		Profile: m.Env.Profile.ID}
	p.Reading, p.Proposed, err = assess.Judge(m.State, m.Env.Profile, assess.Seen{Scheme: scheme, Fish: in.Fish}, m.State.Count, a.DeclaredAge, a.Histamine)
	if err != nil {
		return nil, invalid.Errors{{Field: "fish", Message: err.Error()}}
	}
	if p.Decision == "" {
		p.Decision = p.Proposed.Decision
	}
	return p, nil
}

type frozeIn struct {
	PlaceID   int64    `json:"place_id"`
	Thickness *float64 `json:"thickness_mm"`
	Way       string   `json:"way"`
	Wrapping  string   `json:"wrapping"`
}

// frozeHere begins at the temperature of the fish, in the air that the freezer is set to.
func frozeHere(in frozeIn, m history.Moment) (lot.Payload, error) {
	place, s := m.Env.Places[in.PlaceID], m.State
	piece := s.Piece()
	p := lot.Froze{BatchID: uuid.New(), PlaceID: in.PlaceID, Method: or(in.Way, or(place.Cooling, "fan")), Wrapping: or(in.Wrapping, "bare"),
		Shape: piece.Shape, MM: math.Max(piece.ThicknessMM, 1), StartC: math.Min(math.Max(m.Assess().NowC, 0), 30), AirC: place.SetC}
	if in.Thickness != nil {
		p.MM = *in.Thickness
	}
	return p, nil
}

type pulledIn struct {
	PlaceID int64          `json:"place_id"`
	Method  string         `json:"method"`
	EndUse  thawing.EndUse `json:"end_use"`
	Opened  bool           `json:"opened"`
}

// pulledHere is planned as a thaw for the earliest hour.
func pulledHere(in pulledIn, m history.Moment) (lot.Payload, error) {
	place, s, policy := m.Env.Places[in.PlaceID], m.State, thawing.Policies()[0]
	p := lot.Pulled{PlaceID: in.PlaceID, Method: in.Method, EndUse: thawing.EndUse(or(string(in.EndUse), string(thawing.Cook))), Opened: in.Opened}
	piece := s.Piece()
	for _, stay := range s.FrozenStays {
		if stay.Froze != nil {
			piece = stay.Froze.Piece()
		}
	}
	p.Shape, p.MM, p.OneFace = piece.Shape, piece.ThicknessMM, piece.OneFace
	if p.MediumC = policy.MediumC(in.Method); in.Method == thawing.Fridge {
		p.MediumC = place.SetC
	}
	return p, nil
}

type hungIn struct {
	PlaceID int64   `json:"place_id"`
	Kg      float64 `json:"kg"`
	School  string  `json:"school"`
	Raw     bool    `json:"raw"`
}

func hungHere(in hungIn, _ history.Moment) (lot.Payload, error) {
	policy, ok := ageing.GetPolicy(in.School)
	if !ok {
		return nil, invalid.Errors{{Field: "school", Message: "must be short_dry or long_age"}}
	}
	p := lot.Hung{PlaceID: in.PlaceID, Hook: 1, Kg: in.Kg, Policy: policy.ID, Target: policy.Target, Hanging: ageing.HangingStyles()[0].ID, Raw: in.Raw}
	for _, prep := range ageing.Preps() {
		p.Preps = append(p.Preps, prep.ID)
	}
	return p, nil
}

type testedIn struct {
	Plan    string    `json:"plan"`
	Results []float64 `json:"results"`
	Lab     string    `json:"lab"`
}

func testedHere(in testedIn, _ history.Moment) (lot.Payload, error) {
	plan, ok := safety.GetPlan(in.Plan)
	if !ok {
		return nil, invalid.Errors{{Field: "plan", Message: "must be one of eu2073, action35, action50"}}
	}
	return lot.Tested{Plan: plan, Results: in.Results, Lab: in.Lab}, nil
}

type icedIn struct {
	Way     string `json:"way"`
	PlaceID int64  `json:"place_id"`
}

func icedHere(in icedIn, _ history.Moment) (lot.Payload, error) {
	return lot.Iced{Method: or(in.Way, "boxed"), PlaceID: in.PlaceID}, nil
}

type voidedIn struct {
	Index  int    `json:"index"`
	Reason string `json:"reason"`
}

func voidedHere(in voidedIn, m history.Moment) (lot.Payload, error) {
	id, ok := m.EventID(in.Index)
	if !ok {
		return nil, invalid.Errors{{Field: "index", Message: "is no event before this one"}}
	}
	return lot.Voided{EventID: id, Reason: in.Reason}, nil
}
