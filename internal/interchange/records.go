package interchange

import (
	"context"
	"encoding/json"
	"fmt"
	"iter"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/unit"
	"leancatch/internal/kitchen"
	"leancatch/internal/wording"
)

// lotSheet is a table made of the lots to which something happened in a span.
type lotSheet struct {
	id, title string
	columns   []Column
	rows      func(x told, in coldchain.Span, add func(cells ...any))
}

// told is a lot with the words for what was written of it.
type told struct {
	kitchen.RecordLot
	units wording.Units
}

// says is what an entry says, as it stands after corrections.
func (x told) says(p lot.Payload) string {
	return wording.Says(x.units, p, wording.Of{Places: x.Places})
}

// of is the sheet as a table of a kitchen's lots to which something happened in a span: every row is of that span.
func (s lotSheet) of(ctx context.Context, k *kitchen.Kitchen, span coldchain.Span) Table {
	return Table{ID: s.id, Title: s.title, Columns: s.columns, Rows: rowsOf(k.RecordLots(ctx, span), span, s, unitsOf{kitchen.ActorFrom(ctx)})}
}

func rowsOf(lots iter.Seq2[kitchen.RecordLot, error], span coldchain.Span, s lotSheet, units wording.Units) iter.Seq2[[]any, error] {
	return func(yield func([]any, error) bool) {
		for x, err := range lots {
			if err != nil {
				yield(nil, err)
				return
			}
			more := true
			s.rows(told{x, units}, span, func(cells ...any) { more = more && yield(cells, nil) })
			if !more {
				return
			}
		}
	}
}

// columns are columns of the usual width; a name that ends in * is of a wide one, one that ends in ^ stands in sheets alone, not on paper.
func columns(names ...string) []Column {
	list := make([]Column, len(names))
	for i, name := range names {
		name, list[i].NotOnPaper = strings.CutSuffix(name, "^")
		name, wide := strings.CutSuffix(name, "*")
		if list[i].Name = name; wide {
			list[i].Wide = 32
		}
	}
	return list
}

// orNothing is what stands in a cell where there is anything.
func orNothing[T any](v *T) any {
	if v == nil {
		return nil
	}
	return *v
}

// received reports whether a lot was received here, and not cut off another or sent by another kitchen.
func received(x told) bool { return x.Parent == uuid.Nil && x.CameFrom == "" }

// first is who wrote the first entry of a lot.
func first(x told) string { return x.Entries[0].Person }

var deliveriesSheet = lotSheet{"deliveries", "Deliveries", columns("Received", "Lot", "Supplier*", "Reference^", "Supplier's lot", "Species*",
	"Scientific name*^", "Form", "Frozen^", "Pieces", "Weight, kg", "Core temperature, °C", "Ice", "Label date", "Label date means^",
	"Origin", "Caught in",
	"FAO area^", "Gear^", "Vessel or farm^", "Price, a kg^", "Written by"),
	func(x told, in coldchain.Span, add func(...any)) {
		r, sp := x.Received, x.Species()
		if !received(x) || !in.Has(x.ReceivedAt) {
			return
		}
		var label, area, fao, gear, vessel, price any
		if at := r.LabelDate.At; at != nil {
			label = *at
		}
		if c := x.Harvest.Caught; c != nil {
			area, gear, vessel = c.Data.Area, c.Data.Gear, c.Data.Vessel
			if c.Data.FAO != 0 {
				fao = c.Data.FAO
			}
		}
		if r.PriceCents > 0 {
			price = float64(r.PriceCents) / 100
		}
		add(x.ReceivedAt, r.Code, x.Supplier, x.Reference, r.SupplierLot, sp.Name, sp.Scientific, lot.FormName(r.Form), r.Frozen, r.Count,
			r.WeightKg,
			orNothing(r.CoreC), icedWords(r.Ice), label, string(r.LabelDate.Means), string(x.Declared.Origin), area, fao, gear, vessel, price,
			first(x))
	}}

// icedWords is how the fish lay on arrival, in words.
func icedWords(ice string) string { return strings.ReplaceAll(ice, "_", " ") }

// The traceability sheet has the key data elements of [CFR204]: what was received (1.1345), what was transformed (1.1350) and
// what was shipped (1.1340), a row each. The traceability lot code is the supplier's as far as it is known, and the kitchen's own for
// what it made.
var traceabilitySheet = lotSheet{"traceability", "Traceability", columns("Event", "Date", "Traceability lot code", "Lot here", "Quantity", "Unit",
	"Product*", "Scientific name*^", "Made of lot", "Previous source*", "Location", "Next recipient*", "Reference document^", "Reference"),
	func(x told, in coldchain.Span, add func(...any)) {
		r, sp := x.Received, x.Species()
		product := sp.Name + ", " + strings.ToLower(lot.FormName(r.Form))
		code := r.SupplierLot
		if code == "" || x.CutFrom != "" {
			code = r.Code
		}
		switch {
		case received(x) && in.Has(x.ReceivedAt):
			add("receiving", x.ReceivedAt, code, r.Code, r.WeightKg, "kg", product, sp.Scientific, nil, x.Supplier, "here", nil, "delivery note",
				x.Reference)
		case x.CameFrom != "" && in.Has(x.SentAt):
			add("receiving", x.SentAt, code, r.Code, r.WeightKg, "kg", product, sp.Scientific, x.ParentCode, x.CameFrom, "here", nil, "transfer",
				x.Reference)
		case x.CutFrom != "" && in.Has(x.SplitAt):
			add("transformation", x.SplitAt, code, r.Code, r.WeightKg, "kg", product, sp.Scientific, x.ParentCode, nil, "here", nil, "lot record",
				r.Code)
		}
		for _, e := range x.Entries {
			if sent, ok := e.Payload.(lot.Sent); ok && in.Has(e.HappenedAt) {
				part := sent.WeightKg
				i := slices.IndexFunc(x.Exits, func(out lot.Exit) bool { return out.EventID == e.ID })
				if i >= 0 {
					part = x.Exits[i].Kg
				}
				add("shipping", e.HappenedAt, code, r.Code, part, "kg", product, sp.Scientific, nil, "here", "here", sent.To, "transfer",
					sent.TransferID.String())
			}
		}
	}}

var exitsSheet = lotSheet{"exits", "What left", columns("When", "Lot", "Species*", "What for", "Part", "Pieces", "Weight, kg", "Estimated", "Why", "Note*"),
	func(x told, in coldchain.Span, add func(...any)) {
		for _, e := range x.Exits {
			if in.Has(e.At) {
				part := ""
				if e.Form != "" {
					part = lot.FormName(e.Form)
				}
				add(e.At, x.Received.Code, x.Species().Name, e.EndUse.Name(), part, e.Count, e.Kg, e.Estimated, string(e.Reason), e.Note)
			}
		}
	}}

var inspectionsSheet = lotSheet{"inspections", "Inspections", columns("When", "Lot", "Species*", "Scheme", "Fish", "Score", "Of at most",
	"Grade", "Read age, fresh days", "Decision", "Proposed", "Why otherwise*", "Written by", "Approved by"),
	func(x told, in coldchain.Span, add func(...any)) {
		for _, e := range x.Entries {
			p, ok := e.Payload.(lot.Inspected)
			if !ok || !in.Has(e.HappenedAt) || cancelled(x, e) {
				continue
			}
			var age any
			if p.Reading.Age != nil {
				age = p.Reading.Age.Days
			}
			add(e.HappenedAt, x.Received.Code, x.Species().Name, p.Scheme, len(p.Fish), p.Reading.Index, p.Reading.IndexMax, p.Reading.Grade, age,
				string(p.Decision), string(p.Proposed.Decision), p.Reason, e.Person, e.Approver)
		}
	}}

// cancelled reports whether an entry was struck through.
func cancelled(x told, e kitchen.Entry) bool { return x.Voids[e.ID] != nil }

var coresSheet = lotSheet{"cores", "Core temperatures", columns("When", "Lot", "Species*", "Core temperature, °C", "Written by"),
	func(x told, in coldchain.Span, add func(...any)) {
		for _, e := range x.Entries {
			if p, ok := e.Payload.(lot.Temperature); ok && in.Has(e.HappenedAt) && !cancelled(x, e) {
				add(e.HappenedAt, x.Received.Code, x.Species().Name, p.Celsius, e.Person)
			}
		}
	}}

// steps are the kinds of entry of cooling, freezing, thawing and ageing records.
var steps = []lot.Kind{lot.KindFor[lot.Cooked](), lot.KindFor[lot.ParCooked](), lot.KindFor[lot.Stocked](), lot.KindFor[lot.Froze](), lot.KindFor[lot.Pulled](),
	lot.KindFor[lot.Thawed](), lot.KindFor[lot.Returned](), lot.KindFor[lot.Hung](), lot.KindFor[lot.Weighed](), lot.KindFor[lot.DailyCheck](),
	lot.KindFor[lot.TakenDown](), lot.KindFor[lot.Prepared](), lot.KindFor[lot.Tested](), lot.KindFor[lot.GapExplained]()}

var stepsSheet = lotSheet{"steps", "Cooling, freezing, ageing", columns("When", "Lot", "Species*", "What", "Said*", "Written by", "Approved by"),
	func(x told, in coldchain.Span, add func(...any)) {
		for _, e := range x.Entries {
			if slices.Contains(steps, e.Kind) && in.Has(e.HappenedAt) && !cancelled(x, e) {
				add(e.HappenedAt, x.Received.Code, x.Species().Name, e.Kind.Name(), x.says(e.Payload), e.Person, e.Approver)
			}
		}
	}}

// unitsOf writes amounts and times as a kitchen has them.
type unitsOf struct{ kitchen.Actor }

func (u unitsOf) Mass(kg float64) string   { return unit.FormatMass(kg, u.Masses()) }
func (u unitsOf) Temp(c float64) string    { return unit.FormatTemp(c, u.Temps()) }
func (u unitsOf) Money(cents int64) string { return u.Site.Money(cents) }
func (u unitsOf) Clock(t time.Time) string { return t.In(u.Zone()).Format("15:04") }
func (u unitsOf) Stamp(t time.Time) string { return t.In(u.Zone()).Format("2 Jan 15:04") }
func (u unitsOf) Day(t time.Time) string   { return t.Format("2 Jan 2006") }

func payloadFields(p lot.Payload) map[string]json.RawMessage {
	data, err := json.Marshal(p)
	fields := map[string]json.RawMessage{}
	if err == nil {
		err = json.Unmarshal(data, &fields)
	}
	if err != nil {
		panic("what was read cannot be written: " + err.Error())
	}
	return fields
}

var holdsSheet = lotSheet{"holds", "Holds and refusals", columns("When", "Lot", "Species*", "What", "Why*", "Written by", "Approved by"),
	func(x told, in coldchain.Span, add func(...any)) {
		for _, e := range x.Entries {
			if !in.Has(e.HappenedAt) || cancelled(x, e) {
				continue
			}
			reason := ""
			switch p := e.Payload.(type) {
			case lot.Held:
				reason = p.Reason
			case lot.Released:
				reason = p.Reason
			case lot.Refused:
				reason = p.Reason
			case lot.Inspected:
				if p.Decision != freshness.Refuse {
					continue
				}
				reason = p.Reason
			default:
				continue
			}
			add(e.HappenedAt, x.Received.Code, x.Species().Name, e.Kind.Name(), reason, e.Person, e.Approver)
		}
	}}

// The corrections are by when they were written: each field with what it said and what it says.
var correctionsSheet = lotSheet{"corrections", "Corrections", columns("Corrected", "Lot", "Entry", "Happened", "Written", "What", "Was*", "Is*", "Why*", "By", "Approved by"),
	func(x told, in coldchain.Span, add func(...any)) {
		for _, e := range x.Entries {
			by := func(event uuid.UUID) (who, approver string) {
				if i := slices.IndexFunc(x.Entries, func(o kitchen.Entry) bool { return o.ID == event }); i >= 0 {
					return x.Entries[i].Person, x.Entries[i].Approver
				}
				return "", ""
			}
			if v := x.Voids[e.ID]; v != nil && in.Has(v.At) {
				who, approver := by(v.EventID)
				add(v.At, x.Received.Code, e.Kind.Name(), e.HappenedAt, e.RecordedAt, "the entry", x.says(e.Payload), "cancelled", v.Reason, who,
					approver)
			}
			list := x.Corrections[e.ID]
			for i, c := range list {
				is := e.Payload
				if i+1 < len(list) {
					is = list[i+1].Was
				}
				if !in.Has(c.At) {
					continue
				}
				who, approver := by(c.EventID)
				was, now := payloadFields(c.Was), payloadFields(is)
				for _, name := range slices.Sorted(maps.Keys(joined(was, now))) {
					if string(was[name]) != string(now[name]) {
						add(c.At, x.Received.Code, e.Kind.Name(), e.HappenedAt, e.RecordedAt, strings.ReplaceAll(name, "_", " "),
							strings.Trim(string(was[name]), `"`), strings.Trim(string(now[name]), `"`), c.Reason, who, approver)
					}
				}
			}
		}
	}}

func joined[V any](a, b map[string]V) map[string]V {
	all := maps.Clone(a)
	maps.Copy(all, b)
	return all
}

var historySheet = lotSheet{"history", "All entries", columns("Written", "Happened", "Lot", "No.", "Entry", "Says*", "By", "Approved by", "Cancelled", "Chain head*"),
	func(x told, in coldchain.Span, add func(...any)) {
		for _, e := range x.Entries {
			if in.Has(e.HappenedAt) {
				add(e.RecordedAt, e.HappenedAt, x.Received.Code, e.Seq, e.Kind.Name(), x.says(e.Payload), e.Person, e.Approver, cancelled(x, e),
					fmt.Sprintf("%x", e.Hash))
			}
		}
	}}
