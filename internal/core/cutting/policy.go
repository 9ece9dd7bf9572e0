package cutting

// Policy is something that cooks do in different ways, each with its own yield, minutes and keeping time.
// A kitchen has its usual way of each; a cut may be done in another.
type Policy struct {
	ID, Name string
	Choices  []Choice
}

// Choice is one way.
type Choice struct{ ID, Name string }

// Policies are the policies of the bench (common practice, no source), each with the house's usual way
// first.
var Policies = []Policy{
	{"bloodline", "Bloodline", []Choice{{"convenient", "cut off where it is easy"}, {"left", "left in"}, {"out", "all out"}}},
	{"pin_bones", "Pin bones", []Choice{{"pulled", "pulled"}, {"notched", "notched out with the flesh beside them"},
		{"seam", "cut out along the seam"}, {"left", "left in"}}},
	{"skin", "Skin", []Choice{{"on", "on"}, {"off", "off"}, {"unscaled", "unscaled: it comes off later"}, {"scored", "on, scored"}}},
	{"head_tail", "Head and tail", []Choice{{"off", "off"}, {"kept", "kept for the look"}}},
	{"membrane", "Membrane", []Choice{{"off", "off"}, {"left", "left on"}}},
	{"belly_flap", "Belly flap", []Choice{{"trimmed", "trimmed"}, {"kept", "kept"}}},
	{"filleted", "Filleted", []Choice{{"head_off", "head off first"}, {"on_head", "on the head"}}},
	{"ribs", "Ribs", []Choice{{"over", "ridden over"}, {"through", "cut through and trimmed"}}},
}

// Known reports whether a policy has a choice.
func Known(policy, choice string) bool {
	for _, p := range Policies {
		for _, c := range p.Choices {
			if p.ID == policy && c.ID == choice {
				return true
			}
		}
	}
	return false
}

// Destination is where a part goes.
type Destination string

// The destinations. Staff, stock pot and bin take it out of the kitchen at once; the others begin a lot.
const (
	ToService  Destination = "service"
	ToRawBar   Destination = "raw_bar"
	ToFreezer  Destination = "freezer"
	ToPrepared Destination = "prepared"
	ToStock    Destination = "stock_pot"
	ToStaff    Destination = "staff"
	ToBin      Destination = "bin"
)

// Destinations lists them.
var Destinations = []Destination{ToService, ToRawBar, ToFreezer, ToPrepared, ToStock, ToStaff, ToBin}

// Name is the destination in words.
func (d Destination) Name() string {
	return map[Destination]string{ToService: "Service", ToRawBar: "Raw bar", ToFreezer: "Freezer", ToPrepared: "To be prepared",
		ToStock: "Stock pot", ToStaff: "Staff", ToBin: "Bin"}[d]
}

// Leaves reports whether what goes there is gone at once.
func (d Destination) Leaves() bool { return d == ToStock || d == ToStaff || d == ToBin }
