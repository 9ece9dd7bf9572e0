package interchange

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"leancatch/internal/core/ageing"
	"leancatch/internal/core/assess"
	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freezing"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/heat"
	"leancatch/internal/core/history"
	"leancatch/internal/core/icing"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
	"leancatch/internal/core/unit"
)

// HistoryIn is the record of one lot as a client gives it, with the moments at which it is judged.
type HistoryIn struct {
	Profile  string            `json:"profile"`
	Species  string            `json:"species"`
	Origin   string            `json:"origin"`
	Form     string            `json:"form"`
	Frozen   bool              `json:"frozen"`
	Count    *int              `json:"count"`
	WeightKg *float64          `json:"weight_kg"`
	Supplier historySupplier   `json:"supplier"`
	Now      *time.Time        `json:"now"`
	Received historyReceived   `json:"received"`
	Places   []historyPlace    `json:"places"`
	Letters  []historyLetter   `json:"letters"`
	Plans    []historyPlan     `json:"plans"`
	Events   []json.RawMessage `json:"events"`
	At       []time.Time       `json:"at"`
}

type historySupplier struct {
	Kind string `json:"kind"`
}

type historyReceived struct {
	At           *time.Time `json:"at"`
	CoreC        *float64   `json:"core_celsius"`
	Ice          string     `json:"ice"`
	LabelDate    *labelDate `json:"label_date"`
	DispatchedAt *time.Time `json:"dispatched_at"`
	Place        string     `json:"place"`
	SupplierLot  string     `json:"supplier_lot"`
	ReefOrigin   string     `json:"reef_origin"`
	Packing      *packing   `json:"packing"`
	Indicator    bool       `json:"indicator"`
	MM           *float64   `json:"thickness_mm"`
	UseBy        *time.Time `json:"use_by"`
	Tag          string     `json:"tag"`
}

type labelDate struct {
	At    *time.Time `json:"at"`
	Means string     `json:"means"`
}

type packing struct {
	Pack  lot.Pack `json:"pack"`
	OTR   *float64 `json:"film_otr"`
	Tight bool     `json:"tight"`
}

type historyPlace struct {
	ID      string          `json:"id"`
	Kind    string          `json:"kind"`
	SetC    *float64        `json:"set_celsius"`
	Cooling string          `json:"cooling"`
	SpeedMS *float64        `json:"air_speed_ms"`
	RH      *float64        `json:"rh"`
	Sources []historySource `json:"sources"`
	Ice     []struct {
		At time.Time `json:"at"`
		Kg *float64  `json:"kg"`
	} `json:"ice"`
}

type historySource struct {
	ID       string `json:"id"`
	Kind     string `json:"kind"`
	Contact  *bool  `json:"contact"`
	Readings []struct {
		At      time.Time `json:"at"`
		Celsius *float64  `json:"celsius"`
	} `json:"readings"`
}

type historyLetter struct {
	Kind     assess.DeclarationKind `json:"kind"`
	Species  string                 `json:"species"`
	Supplier string                 `json:"supplier"`
	Lot      string                 `json:"lot"`
	From     *time.Time             `json:"from"`
	To       *time.Time             `json:"to"`
	Route    *struct {
		Celsius float64 `json:"celsius"`
		Hours   float64 `json:"hours"`
	} `json:"route"`
}

type historyPlan struct {
	Kind    string  `json:"kind"`
	Days    float64 `json:"days"`
	Celsius float64 `json:"celsius"`
	Raw     bool    `json:"raw"`
}

// What a history may hold.
const (
	// HistoryBytes is how long its text may be.
	HistoryBytes     = 2 << 20
	mostReadings     = 20_000
	mostHistory      = 500 // events
	mostPlaces       = 40
	mostMoments      = 50
	historySupplies  = 1 // the id of its supplier
	otherSupplies    = 2
	usualWeightKg    = 1.0
	usualHistoryForm = "whole"
)

// History reads a history: the lot, and the moments at which it is to be judged. Errors are on the
// fields of the request.
func (in HistoryIn) History() (history.Lot, []time.Time, error) {
	r := historyReader{in: in, places: map[string]int64{}}
	r.limits()
	r.species()
	r.env()
	r.receipt()
	r.letters()
	r.events()
	if len(in.At) == 0 {
		r.bad.Add("at", "give at least one moment")
	}
	for i, at := range in.At {
		if at.IsZero() {
			r.bad.Add(fmt.Sprintf("at[%d]", i), "is no time")
		}
	}
	if len(r.bad) > 0 {
		return history.Lot{}, nil, r.bad
	}
	r.lot.Env.Now = slices.MaxFunc(in.At, time.Time.Compare)
	if in.Now != nil {
		r.lot.Env.Now = *in.Now
	}
	return r.lot, in.At, nil
}

// historyReader reads a request, and notes what is wrong with it.
type historyReader struct {
	in     HistoryIn
	lot    history.Lot
	sp     species.Species
	places map[string]int64
	bad    invalid.Errors
}

func (r *historyReader) limits() {
	readings := 0
	for _, p := range r.in.Places {
		for _, s := range p.Sources {
			readings += len(s.Readings)
		}
	}
	for _, c := range []struct {
		field string
		n     int
		most  int
	}{{"places", readings, mostReadings}, {"events", len(r.in.Events), mostHistory}, {"places", len(r.in.Places), mostPlaces},
		{"at", len(r.in.At), mostMoments}} {
		if c.n > c.most {
			r.bad.Add(c.field, "are more than %d", c.most)
		}
	}
}

func (r *historyReader) species() {
	var ok bool
	if r.sp, ok = species.Builtin().Get(r.in.Species); !ok {
		r.bad.Add("species", "is not in the catalogue")
	}
}

// oneOf notes a value that is none of a list.
func (r *historyReader) oneOf(field, value string, list ...string) {
	if !slices.Contains(list, value) {
		r.bad.Add(field, "must be one of %s", strings.Join(list, ", "))
	}
}

func or(value, usual string) string {
	if value == "" {
		return usual
	}
	return value
}

func (r *historyReader) env() {
	profile, ok := safety.GetProfile(or(r.in.Profile, safety.DefaultProfile))
	if !ok {
		r.bad.Add("profile", "must be one of model-code, eu, house-strict")
	}
	records := map[int64]coldchain.Record{}
	r.lot.Env = assess.Env{Profile: profile, Catalogue: species.Builtin(), Places: map[int64]lot.Place{},
		Probe: func(id int64) coldchain.Record { return records[id] }, TransportC: assess.DefaultTransportC,
		Cabinets: map[int64]assess.Cabinet{}, Dealers: map[int64]time.Time{}}
	kind := or(r.in.Supplier.Kind, "boat")
	if r.oneOf("supplier.kind", kind, "boat", "dealer"); kind == "dealer" {
		r.lot.Env.Dealers[historySupplies] = time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)
	}
	for i, p := range r.in.Places {
		r.place(fmt.Sprintf("places[%d]", i), int64(i+1), p, records)
	}
	for i, p := range r.in.Plans {
		field := fmt.Sprintf("plans[%d]", i)
		if r.oneOf(field+".kind", p.Kind, "ageing", "par_cook"); p.Kind == "par_cook" {
			r.lot.Env.ParCook = true
			continue
		}
		if !(p.Days > 0) {
			r.bad.Add(field+".days", "must be above 0")
		}
		r.lot.Env.AgeingPlan = &ageing.Plan{Reference: "as given", MaxDays: p.Days, MaxC: p.Celsius, Raw: p.Raw}
	}
}

func (r *historyReader) place(field string, id int64, p historyPlace, records map[int64]coldchain.Record) {
	r.oneOf(field+".kind", p.Kind, lot.PlaceKinds...)
	if p.ID == "" || r.places[p.ID] != 0 {
		r.bad.Add(field+".id", "must be a name of its own")
	}
	r.places[p.ID] = id
	place := lot.Place{ID: id, Name: p.ID, Kind: p.Kind, Air: true, Cooling: p.Cooling, SpeedMS: p.SpeedMS}
	if p.SetC != nil {
		place.SetC = *p.SetC
		if unit.CheckCelsius(*p.SetC) != nil {
			r.bad.Add(field+".set_celsius", "%v", unit.ErrTempRange)
		}
	}
	if p.Cooling != "" {
		if _, ok := freezing.GetMethod(p.Cooling); !ok {
			r.bad.Add(field+".cooling", "must be one of still, fan, blast, plate")
		}
	}
	if p.SpeedMS != nil && !(*p.SpeedMS > 0 && *p.SpeedMS <= heat.MostMS) {
		r.bad.Add(field+".air_speed_ms", "must be above 0 and at most %.0f", heat.MostMS)
	}
	for i, s := range p.Sources {
		in := fmt.Sprintf("%s.sources[%d]", field, i)
		r.oneOf(in+".kind", s.Kind, "logger", "spot", "max")
		readings := make([]coldchain.Reading, 0, len(s.Readings))
		for j, x := range s.Readings {
			switch {
			case x.At.IsZero():
				r.bad.Add(fmt.Sprintf("%s.readings[%d].at", in, j), "is no time")
			case x.Celsius == nil || unit.CheckCelsius(*x.Celsius) != nil:
				r.bad.Add(fmt.Sprintf("%s.readings[%d].celsius", in, j), "%v", unit.ErrTempRange)
			default:
				readings = append(readings, coldchain.Reading{At: x.At, Celsius: *x.Celsius})
			}
		}
		slices.SortStableFunc(readings, func(a, b coldchain.Reading) int { return a.At.Compare(b.At) })
		contact := p.Kind == "tote"
		if s.Contact != nil {
			contact = *s.Contact
		}
		probe := int64(len(records) + 1)
		records[probe] = coldchain.Series{Readings: readings, MaxGap: coldchain.FinestGap, Hold: coldchain.FinestGap}
		place.Probes = append(place.Probes, lot.ProbeStay{ProbeID: probe, Name: or(s.ID, p.ID), ByHand: s.Kind != "logger",
			Maximum: s.Kind == "max", Contact: contact, Span: coldchain.Span{From: time.Unix(0, 0), To: time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC)}})
	}
	for _, ice := range p.Ice {
		seen := icing.Sighting{At: ice.At, Ice: ice.Kg == nil || *ice.Kg > 0, RunsOut: ice.At.Add(365 * 24 * time.Hour)}
		place.Seen = append(place.Seen, seen)
	}
	if p.Kind == "ager" {
		r.lot.Env.Cabinets[id] = cabinetOf(place, p, records)
	}
	r.lot.Env.Places[id] = place
}

// cabinetOf is an ageing cabinet whose humidity is as given, and whose temperature is as measured.
func cabinetOf(place lot.Place, p historyPlace, records map[int64]coldchain.Record) assess.Cabinet {
	set := ageing.Air{Celsius: place.SetC, RH: ageing.ReferenceRH}
	if p.RH != nil {
		set.RH = *p.RH
	}
	return assess.Cabinet{Climate: ageing.Climate{Set: set}, Recorded: len(records) > 0 && len(place.Probes) > 0,
		Scale: ageing.Scale{StepKg: 0.005}}
}

func (r *historyReader) receipt() {
	in := r.in.Received
	if in.At == nil {
		r.bad.Add("received.at", "is missing")
		return
	}
	r.lot.ReceivedAt = *in.At
	form := or(r.in.Form, usualHistoryForm)
	r.oneOf("form", form, lot.Forms...)
	r.oneOf("received.ice", in.Ice, lot.IceStates...)
	origin := or(r.in.Origin, "unknown")
	if r.oneOf("origin", origin, "wild", "farmed", "unknown"); origin == "unknown" {
		origin = ""
	}
	p := lot.Received{Code: "HISTORY", SpeciesID: r.in.Species, Form: form, Frozen: r.in.Frozen, Count: 1, WeightKg: usualWeightKg,
		CoreC: in.CoreC, Ice: in.Ice, SupplierID: historySupplies, SupplierLot: in.SupplierLot, Indicator: in.Indicator, UseBy: in.UseBy, Tag: in.Tag,
		DispatchedAt: in.DispatchedAt, Origin: lot.FishOrigin(origin), ReefOrigin: in.ReefOrigin, MM: in.MM,
		PlaceID: r.placeID("received.place", in.Place)}
	if r.in.Count != nil {
		p.Count = *r.in.Count
	}
	if p.WeightKg *= float64(max(1, p.Count)); r.in.WeightKg != nil {
		p.WeightKg = *r.in.WeightKg
	}
	r.lot.Env.Bare = r.in.WeightKg == nil && in.MM == nil
	if d := in.LabelDate; d != nil {
		p.LabelDate = lot.LabelDate{At: d.At, Means: freshness.DateMeaning(d.Means)}
	}
	if in.Packing != nil {
		p.Packing = &lot.Packing{Pack: in.Packing.Pack, OTR: in.Packing.OTR, Tight: in.Packing.Tight}
	}
	r.lot.Received = p
}

func (r *historyReader) placeID(field, id string) int64 {
	n, ok := r.places[id]
	if !ok {
		r.bad.Add(field, "%q is none of the places", id)
	}
	return n
}

func (r *historyReader) letters() {
	for i, l := range r.in.Letters {
		field := fmt.Sprintf("letters[%d]", i)
		if l.Kind.Name() == "" {
			r.bad.Add(field+".kind", "must be one of farmed, frozen, harvest_record")
		}
		if _, ok := species.Builtin().Get(l.Species); !ok {
			r.bad.Add(field+".species", "is not in the catalogue")
		}
		if l.From == nil || l.To == nil {
			r.bad.Add(field+".from", "give from and to")
			continue
		}
		d := assess.Declaration{ID: [16]byte{15: byte(i + 1)}, Kind: l.Kind, SupplierID: historySupplies, SpeciesID: l.Species, IssuedOn: *l.From,
			ValidTo: l.To.AddDate(0, 0, -1), Reference: fmt.Sprintf("letter %d", i+1), SupplierLot: l.Lot}
		if l.Supplier != "" {
			d.SupplierID = otherSupplies
		}
		if l.Route != nil {
			d.RouteC, d.RouteHours = l.Route.Celsius, l.Route.Hours
		}
		r.lot.Env.Declarations = append(r.lot.Env.Declarations, d)
	}
}

// strict reads JSON and refuses fields that are not known.
func strict(data []byte, v any) error {
	d := json.NewDecoder(bytes.NewReader(data))
	d.DisallowUnknownFields()
	return d.Decode(v)
}

// unreadable notes why JSON could not be read.
func (r *historyReader) unreadable(field string, err error) {
	var fields invalid.Errors
	var kind *json.UnmarshalTypeError
	name, unknown := strings.CutPrefix(err.Error(), "json: unknown field ")
	switch {
	case errors.As(err, &fields):
		r.bad = append(r.bad, fields.Under(field+".")...)
	case errors.As(err, &kind) && kind.Field != "":
		r.bad.Add(field+"."+kind.Field, "is not a %s", kind.Type)
	case unknown:
		r.bad.Add(field+"."+strings.Trim(name, `"`), "is not a field of this event")
	default:
		r.bad.Add(field, "%v", err)
	}
}
