package lot

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
)

// Kind names what happened, as it stands in the database and in the API.
type Kind string

// trait is what holds for a kind of event.
type trait uint

const (
	opens    trait = 1 << iota // begins a lot
	carried                    // a lot that was split off goes on with its parent's
	fixed                      // is not corrected
	onScreen                   // is written by a page only, not by POST /api/v1/lots/{id}/events
	amount                     // says how much there is, or what it is called: nothing that happened to the fish
)

// kind is a row of the table of kinds.
type kind struct {
	id      Kind
	name    string
	traits  trait
	payload reflect.Type
	decode  func([]byte) (Payload, error)
	approve func(p Payload, byManager bool) Payload
}

// kinds are all kinds of event. A new one takes a row here, a payload in the file of its
// topic and a row of the views.
var kinds = []kind{
	row[Received]("received", "Received", opens|onScreen|amount),
	row[Inspected]("inspected", "Inspected", 0),
	row[Moved]("moved", "Moved", 0),
	row[Temperature]("temperature", "Temperature", 0),
	row[Logger]("logger", "Logger", 0),
	row[Held]("held", "Held", 0),
	row[Released]("released", "Released", 0),
	row[Refused]("refused", "Refused", amount),
	row[Taken]("taken", "Taken", amount),
	row[Cut]("cut", "Cut", amount),
	row[Prepared]("prepared", "Prepared", carried),
	row[Left]("used", "Finished", amount),
	row[Discarded]("discarded", "Discarded", amount),
	row[NotFound]("not_found", "Not accounted for", amount),
	row[Voided]("voided", "Entry cancelled", fixed|amount),
	row[Corrected]("corrected", "Entry corrected", fixed|amount),
	row[Declared]("declared", "Origin declared", carried),
	row[Split]("parted", "Split", fixed|onScreen|amount),
	row[SplitFrom]("part_of", "Split from another lot", opens|fixed|onScreen|amount),
	row[SplitOff]("split_off", "Some of it split off", fixed|onScreen|amount),
	row[Sent]("sent", "Sent to another kitchen", fixed|onScreen|amount),
	row[Arrived]("arrived", "Came from another kitchen", opens|fixed|onScreen|amount),
	row[Merged]("merged", "Put together", fixed|onScreen|amount),
	row[PutWith]("put_with", "Put with another lot", fixed|onScreen|amount),
	row[Photographed]("photographed", "Photo", onScreen|amount),
	row[Checked]("checked", "Checked", amount),
	row[Complaint]("claimed", "Complaint", amount),
	row[Settled]("settled", "Complaint answered", amount),
	row[Caught]("caught", "Caught", carried),
	row[Killed]("killed", "Killed", carried),
	row[Bled]("bled", "Bled", carried),
	row[Gutted]("gutted", "Gutted", carried),
	row[Washed]("washed", "Washed", carried),
	row[Iced]("iced", "On ice", carried),
	row[Tested]("tested", "Histamine test", carried),
	row[GapExplained]("accounted", "Missing hours explained", carried),
	row[Packed]("packed", "Packed", carried),
	row[Reviewed]("reviewed", "Reviewed after a failure", carried|onScreen),
	row[Froze]("froze", "To freeze", carried),
	row[Pulled]("pulled", "Pulled to thaw", carried),
	row[Thawed]("thawed", "Thawed", carried),
	row[Returned]("returned", "Back to the freezer", carried),
	row[Cooked]("cooked", "Cooked, to chill", carried),
	row[ParCooked]("par_cooked", "Par-cooked, to chill", carried),
	row[Stocked]("stocked", "Made into stock", carried),
	row[Hung]("hung", "Ageing started", carried),
	row[Weighed]("weighed", "Weighed", carried),
	row[DailyCheck]("looked", "Daily check", carried),
	row[TakenDown]("taken_down", "Taken out of ageing", carried),
}

// row makes the row of a kind whose payload is P.
func row[P Payload](id Kind, name string, traits trait) kind {
	return kind{id: id, name: name, traits: traits, payload: reflect.TypeFor[P](),
		decode: func(data []byte) (Payload, error) {
			var p P
			d := json.NewDecoder(bytes.NewReader(data))
			d.DisallowUnknownFields()
			if err := d.Decode(&p); err != nil {
				return nil, fmt.Errorf("payload of %s: %w", id, err)
			}
			return p, nil
		},
		approve: func(p Payload, byManager bool) Payload {
			own := p.(P)
			if a, ok := any(&own).(interface{ setByManager(bool) }); ok {
				a.setByManager(byManager)
			}
			return own
		}}
}

var kindByID, kindByPayload = func() (map[Kind]kind, map[reflect.Type]kind) {
	ids, payloads := map[Kind]kind{}, map[reflect.Type]kind{}
	for _, k := range kinds {
		ids[k.id], payloads[k.payload] = k, k
	}
	return ids, payloads
}()

// rowOf is the row of a payload's kind.
func rowOf(p Payload) kind { return kindByPayload[reflect.TypeOf(p)] }

// Kinds lists all kinds of event.
func Kinds() []Kind {
	list := make([]Kind, len(kinds))
	for i, k := range kinds {
		list[i] = k.id
	}
	return list
}

// KindOf is the kind of the events with such a payload.
func KindOf(p Payload) Kind { return rowOf(p).id }

// KindFor is KindOf for a type.
func KindFor[P Payload]() Kind { return kindByPayload[reflect.TypeFor[P]()].id }

// Name is the kind in a word or two; "" for one that is not known.
func (k Kind) Name() string { return kindByID[k].name }

// OnScreenOnly reports whether events of the kind are written by a page of the
// application only.
func (k Kind) OnScreenOnly() bool { return kindByID[k].traits&onScreen != 0 }

// Correctable reports whether events of the kind can be corrected.
func (k Kind) Correctable() bool { return kindByID[k].payload != nil && kindByID[k].traits&fixed == 0 }

// Payload is the type of the kind's payload; nil for a kind that is not known.
func (k Kind) Payload() reflect.Type { return kindByID[k].payload }

// Decode reads the payload of a kind. Unknown fields are refused.
func Decode(id Kind, data []byte) (Payload, error) {
	k, ok := kindByID[id]
	if !ok {
		return nil, fmt.Errorf("event kind %q is not known", id)
	}
	return k.decode(data)
}
