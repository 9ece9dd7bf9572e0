// Package lot is the life of a lot: fish of one species, one form, one origin
// and one history. All that happens to it is an [Event]; [Fold] is the only
// place that turns events into a [State], and [Tell] turns a state and the
// temperatures on record into an [Account]: ice days used, life left, what is
// due. Nothing is erased: a correction is an event that voids another.
package lot

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
)

// Kind names what happened.
type Kind string

// The kinds of event.
const (
	KindReceived    Kind = "received"
	KindInspected   Kind = "inspected"
	KindMoved       Kind = "moved"
	KindTemperature Kind = "temperature"
	KindLogger      Kind = "logger"
	KindHeld        Kind = "held"
	KindReleased    Kind = "released"
	KindRefused     Kind = "refused"
	KindUsed        Kind = "used"
	KindDiscarded   Kind = "discarded"
	KindVoided      Kind = "voided"
)

// Name is the kind in a word or two.
func (k Kind) Name() string {
	return map[Kind]string{KindReceived: "Received", KindInspected: "Inspected", KindMoved: "Moved", KindTemperature: "Temperature",
		KindLogger: "Logger", KindHeld: "Held", KindReleased: "Released", KindRefused: "Refused", KindUsed: "Used up", KindDiscarded: "Discarded", KindVoided: "Voided"}[k]
}

// Event is one thing that happened to a lot.
type Event struct {
	ID         uuid.UUID       // UUIDv7, made by the client: the same id twice is one event
	LotID      uuid.UUID       //
	Seq        int             // 1, 2, 3 … within the lot
	Kind       Kind            //
	HappenedAt time.Time       // when it happened
	RecordedAt time.Time       // when it was written down
	PersonID   int64           // who wrote it
	Data       json.RawMessage // the kind's payload
	PrevHash   []byte          // Hash of the event before it in the lot; empty for the first
	Hash       []byte          // Digest of all of the above
}

// Digest is the SHA-256 of the event with the hash of the one before it.
func (e Event) Digest() []byte {
	text, err := json.Marshal(struct {
		ID, LotID  uuid.UUID
		Seq        int
		Kind       Kind
		Happened   string
		Recorded   string
		PersonID   int64
		Data, Prev []byte
	}{e.ID, e.LotID, e.Seq, e.Kind, stamp(e.HappenedAt), stamp(e.RecordedAt), e.PersonID, e.Data, e.PrevHash})
	if err != nil {
		panic(err) // strings, numbers and bytes always marshal
	}
	sum := sha256.Sum256(text)
	return sum[:]
}

// stamp writes a time as the database keeps it, to the microsecond.
func stamp(t time.Time) string { return t.UTC().Truncate(time.Microsecond).Format(time.RFC3339Nano) }

// CheckChain returns an error that names the first event, in the order of Seq,
// that is missing, out of order or altered.
func CheckChain(events []Event) error {
	var prev []byte
	for i, e := range events {
		switch {
		case e.Seq != i+1:
			return fmt.Errorf("event %d of lot %s is missing", i+1, e.LotID)
		case !bytes.Equal(e.PrevHash, prev):
			return fmt.Errorf("event %d of lot %s does not follow the one before it", e.Seq, e.LotID)
		case !bytes.Equal(e.Hash, e.Digest()):
			return fmt.Errorf("event %d of lot %s was altered", e.Seq, e.LotID)
		}
		prev = e.Hash
	}
	return nil
}

// Payload is what an event of one kind says.
type Payload interface {
	Kind() Kind
	// check adds what is wrong with the payload as an event at the time at,
	// given the lot's state before it (nil for a lot that does not exist yet).
	check(before *State, at time.Time, bad *invalid.Errors)
}

// Claim is what the papers say of the age.
type Claim struct {
	At    *time.Time          `json:"at,omitempty"`
	Means freshness.DateMeans `json:"means,omitempty"`
}

// Known reports whether the claim says anything of the age.
func (c Claim) Known() bool {
	_, _, ok := c.Means.Before()
	return c.At != nil && ok
}

// Received opens a lot: a line of a docket.
type Received struct {
	DocketID    uuid.UUID `json:"docket_id"`
	Line        int       `json:"line"`
	Code        string    `json:"code"` // what people call the lot
	SpeciesID   string    `json:"species"`
	Form        string    `json:"form"`
	Frozen      bool      `json:"frozen,omitempty"`
	Count       int       `json:"count"`
	WeightKg    float64   `json:"weight_kg"`
	CoreC       *float64  `json:"core_celsius,omitempty"`
	Ice         string    `json:"ice"`
	Claim       Claim     `json:"claim"`
	SupplierID  int64     `json:"supplier_id"`
	SupplierLot string    `json:"supplier_lot"`
	PlaceID     int64     `json:"place_id"`
}

// Inspected records what was seen, what the scheme made of it then, and what
// the person decided.
type Inspected struct {
	Scheme        string             `json:"scheme"`
	SchemeVersion int                `json:"scheme_version"`
	Fish          []freshness.Signs  `json:"fish"`
	Reading       freshness.Reading  `json:"reading"`
	Proposed      freshness.Verdict  `json:"proposed"`
	Decision      freshness.Decision `json:"decision"`
	Reason        string             `json:"reason,omitempty"` // required where Decision is not the proposed one
	Profile       string             `json:"profile"`
	ByManager     bool               `json:"by_manager,omitempty"`
}

// Overrides reports whether the person decided otherwise than proposed.
func (p Inspected) Overrides() bool { return p.Decision != p.Proposed.Decision }

// Moved puts the lot in a place.
type Moved struct {
	PlaceID int64 `json:"place_id"`
}

// Temperature is a core temperature of the lot, taken with a thermometer.
type Temperature struct {
	Celsius float64 `json:"celsius"`
}

// Logger says that a logger lay with the lot from From to To.
type Logger struct {
	ProbeID int64     `json:"probe_id"`
	From    time.Time `json:"from"`
	To      time.Time `json:"to"`
}

// Held puts the lot on hold until it is released, refused or discarded.
type Held struct {
	Reason string `json:"reason"`
}

// Released ends a hold.
type Released struct {
	Reason string `json:"reason"`
}

// Refused sends the lot back.
type Refused struct {
	Reason string `json:"reason"`
}

// Used says that nothing of the lot is left: it was cut, cooked, served or sold.
type Used struct {
	Note string `json:"note,omitempty"`
}

// Discarded ends the lot.
type Discarded struct {
	Reason string `json:"reason"`
}

// Voided strikes another event of the lot through.
type Voided struct {
	EventID uuid.UUID `json:"event_id"`
	Reason  string    `json:"reason"`
}

// The payloads know their kind.

func (Received) Kind() Kind    { return KindReceived }
func (Inspected) Kind() Kind   { return KindInspected }
func (Moved) Kind() Kind       { return KindMoved }
func (Temperature) Kind() Kind { return KindTemperature }
func (Logger) Kind() Kind      { return KindLogger }
func (Held) Kind() Kind        { return KindHeld }
func (Released) Kind() Kind    { return KindReleased }
func (Refused) Kind() Kind     { return KindRefused }
func (Used) Kind() Kind        { return KindUsed }
func (Discarded) Kind() Kind   { return KindDiscarded }
func (Voided) Kind() Kind      { return KindVoided }

// Decode reads the payload of a kind. Unknown fields are refused.
func Decode(kind Kind, data []byte) (Payload, error) {
	switch kind {
	case KindReceived:
		return decode[Received](data)
	case KindInspected:
		return decode[Inspected](data)
	case KindMoved:
		return decode[Moved](data)
	case KindTemperature:
		return decode[Temperature](data)
	case KindLogger:
		return decode[Logger](data)
	case KindHeld:
		return decode[Held](data)
	case KindReleased:
		return decode[Released](data)
	case KindRefused:
		return decode[Refused](data)
	case KindUsed:
		return decode[Used](data)
	case KindDiscarded:
		return decode[Discarded](data)
	case KindVoided:
		return decode[Voided](data)
	}
	return nil, fmt.Errorf("event kind %q is not known", kind)
}

func decode[P Payload](data []byte) (Payload, error) {
	var p P
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	if err := d.Decode(&p); err != nil {
		return nil, fmt.Errorf("payload of %s: %w", p.Kind(), err)
	}
	return p, nil
}

// Forms are the forms in which fish is delivered, in the order of the work.
var Forms = []string{"whole", "gutted", "gutted_gills_out", "headed_gutted", "tail", "loin", "fillet_skin_on", "fillet_skinless"}

// FormName is a form in words.
func FormName(form string) string {
	return map[string]string{"whole": "Whole, ungutted", "gutted": "Gutted, gills in", "gutted_gills_out": "Gutted, gills out",
		"headed_gutted": "Headed and gutted", "tail": "Tail", "loin": "Loin, steak or block",
		"fillet_skin_on": "Fillet, skin on", "fillet_skinless": "Fillet, skinless"}[form]
}

// IceStates describe the ice in which fish arrives, from best to worst.
var IceStates = []string{"well_iced", "some_ice", "melted", "none"}

// IceName is a state of the ice in words.
func IceName(ice string) string {
	return map[string]string{"well_iced": "Ice all around", "some_ice": "Some ice left", "melted": "Melted, in water", "none": "No ice"}[ice]
}

// oldestClaim bounds how long before its delivery chilled or frozen fish may have been caught (house).
const oldestClaim = 3 * 365 * 24 * time.Hour

func (p Received) check(before *State, at time.Time, bad *invalid.Errors) {
	if before != nil {
		bad.Add("lot", "was received already")
	}
	if _, ok := species.Get(p.SpeciesID); !ok {
		bad.Add("species", "is not in the catalogue")
	}
	if !slices.Contains(Forms, p.Form) {
		bad.Add("form", "choose a form")
	}
	if !slices.Contains(IceStates, p.Ice) {
		bad.Add("ice", "choose the state of the ice")
	}
	if p.Count < 1 || p.Count > 10000 {
		bad.Add("count", "must be between 1 and 10 000")
	}
	if !(p.WeightKg > 0 && p.WeightKg <= unit.MaxLotKilograms) {
		bad.Add("weight", "%v", unit.ErrMassRange)
	}
	if p.CoreC != nil && unit.CheckCelsius(*p.CoreC) != nil {
		bad.Add("core", "%v", unit.ErrTempRange)
	}
	if p.Claim.At != nil {
		switch {
		case !slices.Contains(freshness.DateMeanings, p.Claim.Means):
			bad.Add("claim_means", "say what the date means")
		case p.Claim.At.After(at):
			bad.Add("claim_at", "lies after the delivery")
		case p.Claim.At.Before(at.Add(-oldestClaim)):
			bad.Add("claim_at", "lies more than three years before the delivery")
		}
	}
	if len(p.SupplierLot) > 80 {
		bad.Add("supplier_lot", "is longer than 80 characters")
	}
	if p.PlaceID == 0 {
		bad.Add("place", "choose a place")
	}
}

func (p Inspected) check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	scheme, ok := freshness.Get(p.Scheme)
	if !ok {
		bad.Add("scheme", "is not known")
		return
	}
	for i, fish := range p.Fish {
		if err := scheme.Check(fish); err != nil {
			bad.Add(fmt.Sprintf("fish[%d]", i), "%v", err)
		}
	}
	if len(p.Fish) == 0 || len(p.Fish[0]) == 0 {
		bad.Add("fish", "choose at least one sign")
	}
	if !slices.Contains(freshness.Decisions, p.Decision) {
		bad.Add("decision", "choose a decision")
	}
	if p.Overrides() {
		reason(p.Reason, bad)
		if len(p.Proposed.HardStops) > 0 && !p.ByManager {
			bad.Add("decision", "a hard stop is overridden only by a manager")
		}
	}
}

func (p Moved) check(before *State, at time.Time, bad *invalid.Errors) {
	if !onHand(before, at, bad) {
		return
	}
	if p.PlaceID == 0 {
		bad.Add("place", "choose a place")
	} else if stay, ok := before.StayAt(at); ok && stay.PlaceID == p.PlaceID {
		bad.Add("place", "the lot lies there already")
	}
}

func (p Temperature) check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	if unit.CheckCelsius(p.Celsius) != nil {
		bad.Add("celsius", "%v", unit.ErrTempRange)
	}
}

func (p Logger) check(before *State, at time.Time, bad *invalid.Errors) {
	if before == nil {
		bad.Add("lot", "was never received")
		return
	}
	if !p.From.Before(p.To) {
		bad.Add("to", "must lie after the start")
	}
	if p.ProbeID == 0 {
		bad.Add("probe", "choose a logger")
	}
}

func (p Held) check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) && before.Hold != "" {
		bad.Add("lot", "is on hold already: %s", before.Hold)
	}
	reason(p.Reason, bad)
}

func (p Released) check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) && before.Hold == "" {
		bad.Add("lot", "is not on hold")
	}
	reason(p.Reason, bad)
}

func (p Refused) check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	reason(p.Reason, bad)
}

func (p Used) check(before *State, at time.Time, bad *invalid.Errors) {
	if onHand(before, at, bad) && before.Hold != "" {
		bad.Add("lot", "is on hold: %s", before.Hold)
	}
	if len(p.Note) > 500 {
		bad.Add("note", "is longer than 500 characters")
	}
}

func (p Discarded) check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	reason(p.Reason, bad)
}

func (p Voided) check(before *State, _ time.Time, bad *invalid.Errors) {
	if before == nil {
		bad.Add("lot", "was never received")
		return
	}
	switch kind, ok := before.kinds[p.EventID]; {
	case !ok:
		bad.Add("event_id", "is not an event of this lot")
	case kind == KindVoided:
		bad.Add("event_id", "a void cannot be voided: write the event again")
	case before.Voids[p.EventID] != nil:
		bad.Add("event_id", "is voided already")
	}
	reason(p.Reason, bad)
}

// onHand adds an error unless the lot is here at the time at.
func onHand(before *State, at time.Time, bad *invalid.Errors) bool {
	switch {
	case before == nil:
		bad.Add("lot", "was never received")
	case before.Status != OnHand:
		bad.Add("lot", "is no longer on hand: %s", before.Status)
	case at.Before(before.ReceivedAt):
		bad.Add("happened_at", "lies before the lot was received")
	default:
		return true
	}
	return false
}

func reason(text string, bad *invalid.Errors) {
	if len(bytes.TrimSpace([]byte(text))) == 0 {
		bad.Add("reason", "give a reason")
	} else if len(text) > 500 {
		bad.Add("reason", "is longer than 500 characters")
	}
}

// Check returns, as invalid.Errors, what speaks against the event as the next
// one of the lot; nil where nothing does. The event's times are held against
// now, with a minute's grace for clocks that differ.
func Check(before *State, e Event, p Payload, now time.Time) error {
	var bad invalid.Errors
	if e.ID == uuid.Nil {
		bad.Add("id", "is missing")
	}
	if e.HappenedAt.IsZero() {
		bad.Add("happened_at", "is missing")
	} else if e.HappenedAt.After(now.Add(time.Minute)) {
		bad.Add("happened_at", "lies in the future")
	}
	p.check(before, e.HappenedAt, &bad)
	return bad.Err()
}
