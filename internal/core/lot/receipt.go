package lot

import (
	"encoding/hex"
	"fmt"
	"math"
	"slices"
	"time"

	"github.com/google/uuid"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
)

// Trim is a part of the fish that is to stay on or to come off.
type Trim string

// TrimParts lists them in the order of the work.
var TrimParts = []Trim{"scales", "guts", "gills", "fins", "tail", "head", "pin_bones"}

// Name is the part in words.
func (t Trim) Name() string {
	if t == "pin_bones" {
		return "Pin bones"
	}
	return string(t[0]-'a'+'A') + string(t[1:])
}

// TrimFor lists the parts that fish delivered in a form may still have.
func TrimFor(form string) []Trim {
	switch form {
	case "loin", "fillet_skinless":
		return []Trim{"pin_bones"}
	case "fillet_skin_on":
		return []Trim{"scales", "pin_bones"}
	case "tail":
		return []Trim{"fins", "tail"}
	case "headed_gutted":
		return []Trim{"scales", "fins", "tail"}
	}
	return []Trim{"scales", "guts", "gills", "fins", "tail", "head"}
}

// Ordered is how a line was ordered.
type Ordered struct {
	OrderID  uuid.UUID `json:"order_id"`
	Off      []Trim    `json:"off"`                 // what is to come off; all else stays on
	FeeCents int64     `json:"fee_cents,omitempty"` // for the cleaning, of all of it
	WeightKg float64   `json:"weight_kg,omitempty"` // 0 where it was ordered by count
	Count    int       `json:"count,omitempty"`     //
	Note     string    `json:"note,omitempty"`      //
	Line     int       `json:"line,omitempty"`      // of the order, from 1; 0 in entries of earlier versions
	Form     string    `json:"form,omitempty"`      // as it was to arrive
}

// Differs says how what came differs from what was ordered, in words without a unit of mass, and by how
// many kilograms: below 0 it is short. By weight it may differ by orderSlack.
func (o Ordered) Differs(count int, kg float64, form string) (words []string, kgOver float64) {
	if o.Form != "" && o.Form != form {
		words = append(words, "another form: ordered "+FormName(o.Form))
	}
	switch d := count - o.Count; {
	case o.Count > 0 && d < 0:
		words = append(words, fmt.Sprintf("%d short", -d))
	case o.Count > 0 && d > 0:
		words = append(words, fmt.Sprintf("%d over", d))
	}
	if o.WeightKg > 0 && math.Abs(kg-o.WeightKg) > orderSlack*o.WeightKg {
		kgOver = kg - o.WeightKg
	}
	return words, kgOver
}

// orderSlack is by how much the weight of fish, which is not cut to measure, may differ from what was
// ordered (house).
const orderSlack = 0.05

// Checked is how cleaning and packing were found at receipt. Rework is a fault
// of the supplier and is recorded with its cost.
type Checked struct {
	Off           []Trim   `json:"off"`                       // what was to come off
	Left          []Trim   `json:"left,omitempty"`            // what of it is still on, or not clean
	Missing       []Trim   `json:"missing,omitempty"`         // what was to stay on and is gone
	ReworkMinutes float64  `json:"rework_minutes,omitempty"`  //
	WageCents     int64    `json:"wage_cents_per_hour"`       //
	Faults        []string `json:"packing_faults,omitempty"`  // ids of PackingFaults
	PackingC      *float64 `json:"packing_celsius,omitempty"` // in the ice or the box, °C
	Note          string   `json:"note,omitempty"`            //
}

// CostCents is what the rework costs: minutes · wage / 60, rounded to a cent.
func (p Checked) CostCents() int64 {
	return int64(p.ReworkMinutes*float64(p.WageCents)/60 + 0.5)
}

// Faulty reports whether anything was found.
func (p Checked) Faulty() bool {
	return len(p.Left)+len(p.Missing)+len(p.Faults) > 0 || p.ReworkMinutes > 0
}

// PackingFault is one thing that can be wrong with a box.
type PackingFault struct{ ID, Name string }

// PackingFaults lists them.
var PackingFaults = []PackingFault{
	{"little_ice", "Too little ice, or not all around"}, {"no_drain", "Does not drain: fish in melt water"},
	{"pad_side", "Pad the wrong way round"},
	{"laid_wrong", "Not laid as ordered"}, {"warm", "Warm box"}, {"direct_ice", "Fillets bare on ice"},
	{"dirty", "Dirty or broken box"},
}

// Photographed keeps a photo with the lot.
type Photographed struct {
	PhotoID uuid.UUID `json:"photo_id"`
	SHA256  string    `json:"sha256"` // of the picture as it is kept
	Caption string    `json:"caption,omitempty"`
}

// Complaint is a complaint to the supplier.
type Complaint struct {
	Number   string      `json:"number"` // the lot's code and a counter
	WeightKg float64     `json:"weight_kg"`
	Remedy   string      `json:"asks"` // one of Remedies
	Reasons  []string    `json:"reasons"`
	Photos   []uuid.UUID `json:"photos,omitempty"`
	Note     string      `json:"note,omitempty"`
}

// Remedy is what a complaint asks for.
type Remedy struct{ ID, Name string }

// Remedies lists them.
var Remedies = []Remedy{{"credit", "Credit for the weight"}, {"price_down", "A lower price"},
	{"replacement", "Replacement"}, {"rework", "The cost of rework"}}

// RemedyName is what a complaint asks for, in words.
func RemedyName(id string) string {
	for _, a := range Remedies {
		if a.ID == id {
			return a.Name
		}
	}
	return id
}

// PhotoTaken, CheckMade and ComplaintMade are such events that stand.
type (
	PhotoTaken struct {
		Photographed
		EventID uuid.UUID
		At      time.Time
	}
	CheckMade struct {
		Checked
		EventID uuid.UUID
		At      time.Time
	}
	ComplaintMade struct {
		Complaint
		EventID uuid.UUID
		At      time.Time
		Answer  *Step[Settled] // nil until the supplier answered
	}
)

// Settled says what the supplier answered to a complaint.
type Settled struct {
	ComplaintID uuid.UUID `json:"complaint_id"` // its event
	Answer      string    `json:"answer"`       // one of ComplaintAnswers
	CreditCents int64     `json:"credit_cents,omitempty"`
	Note        string    `json:"note,omitempty"`
}

// Credited is the answer to a complaint by which money comes back.
const Credited = "credited"

// ComplaintAnswers lists what a supplier may answer.
var ComplaintAnswers = []Choice{{Credited, "money back"}, {"replaced", "replaced"}, {"rejected", "rejected"}}

func (p Photographed) Check(before *State, _ time.Time, bad *invalid.Errors) {
	received(before, bad)
	if sum, err := hex.DecodeString(p.SHA256); p.PhotoID == uuid.Nil || err != nil || len(sum) != 32 {
		bad.Add("photo_id", "choose a picture")
	}
	if invalid.TooLong(p.Caption, 200) {
		bad.Add("caption", "is longer than 200 characters")
	}
}

func (p Photographed) Apply(s *State, e Event) {
	s.Photos = append(s.Photos, PhotoTaken{p, e.ID, e.HappenedAt})
}

func (p Photographed) keeps(was Payload, bad *invalid.Errors) {
	keep("photo_id", p.PhotoID, was.(Photographed).PhotoID, bad)
	keep("sha256", p.SHA256, was.(Photographed).SHA256, bad)
}

func (p Checked) Check(before *State, at time.Time, bad *invalid.Errors) {
	onHand(before, at, bad)
	for _, list := range [][]Trim{p.Off, p.Left, p.Missing} {
		for _, t := range list {
			if !slices.Contains(TrimParts, t) {
				bad.Add("off", "%q is not a part of a fish", t)
			}
		}
	}
	for _, t := range p.Left {
		if !slices.Contains(p.Off, t) {
			bad.Add("left", "%s were not to come off", t)
		}
	}
	for _, id := range p.Faults {
		if !slices.ContainsFunc(PackingFaults, func(f PackingFault) bool { return f.ID == id }) {
			bad.Add("packing_faults", "%q is not known", id)
		}
	}
	if !(p.ReworkMinutes >= 0 && p.ReworkMinutes <= 24*60) {
		bad.Add("rework_minutes", "must be between 0 minutes and a day")
	}
	if p.WageCents < 0 || p.WageCents > 1_000_000 {
		bad.Add("wage_cents_per_hour", "must be between 0 and 10 000 an hour")
	}
	if p.PackingC != nil && unit.CheckCelsius(*p.PackingC) != nil {
		bad.Add("packing_celsius", "%v", unit.ErrTempRange)
	}
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

func (p Checked) Apply(s *State, e Event) {
	s.Checks = append(s.Checks, CheckMade{p, e.ID, e.HappenedAt})
}

func (p Complaint) Check(before *State, _ time.Time, bad *invalid.Errors) {
	if !received(before, bad) {
		return
	}
	if !(p.WeightKg > 0 && p.WeightKg <= before.Received.WeightKg*(1+WeightSlack)) {
		bad.Add("weight_kg", "must be above 0 and at most what was delivered, %.2f kg", before.Received.WeightKg)
	}
	if !slices.ContainsFunc(Remedies, func(a Remedy) bool { return a.ID == p.Remedy }) {
		bad.Add("asks", "say what you ask for")
	}
	if len(p.Reasons) == 0 {
		bad.Add("reasons", "give at least one reason")
	}
	for _, r := range p.Reasons {
		if invalid.TooLong(r, 500) {
			bad.Add("reasons", "one is longer than 500 characters")
		}
	}
	for _, id := range p.Photos {
		if !slices.ContainsFunc(before.Photos, func(x PhotoTaken) bool { return x.PhotoID == id }) {
			bad.Add("photos", "one is not a photo of this lot")
		}
	}
	if invalid.TooLong(p.Note, 2000) {
		bad.Add("note", "is longer than 2000 characters")
	}
}

func (p Complaint) Apply(s *State, e Event) {
	s.Complaints = append(s.Complaints, ComplaintMade{Complaint: p, EventID: e.ID, At: e.HappenedAt})
}

func (p Settled) Check(before *State, _ time.Time, bad *invalid.Errors) {
	if !received(before, bad) {
		return
	}
	i := slices.IndexFunc(before.Complaints, func(c ComplaintMade) bool { return c.EventID == p.ComplaintID })
	switch {
	case i < 0:
		bad.Add("complaint_id", "is no complaint of this lot")
	case before.Complaints[i].Answer != nil:
		bad.Add("complaint_id", "was answered already: correct that entry")
	}
	oneOf("answer", p.Answer, ComplaintAnswers, bad)
	switch landed := before.Received.DeliveredCents(); {
	case (p.Answer == Credited) != (p.CreditCents > 0):
		bad.Add("credit_cents", "say how much, where money comes back, and only there")
	case p.CreditCents < 0 || p.CreditCents > mostCents:
		bad.Add("credit_cents", "must be between 0 and 100 000")
	case landed > 0 && float64(p.CreditCents) > landed-before.credited():
		bad.Add("credit_cents", "is more than the fish cost")
	}
	if invalid.TooLong(p.Note, 500) {
		bad.Add("note", "is longer than 500 characters")
	}
}

// Apply takes the credit off what the lot costs: of what is left its share.
func (p Settled) Apply(s *State, e Event) {
	landed := s.Received.DeliveredCents() - s.credited()
	for i := range s.Complaints {
		if s.Complaints[i].EventID == p.ComplaintID {
			s.Complaints[i].Answer = &Step[Settled]{p, e.HappenedAt, e.ID}
		}
	}
	if landed > 0 {
		s.CostCents *= math.Max(0, 1-float64(p.CreditCents)/landed)
	}
}

// credited is what suppliers gave back for the lot, hundredths.
func (s *State) credited() float64 {
	sum := 0.0
	for _, c := range s.Complaints {
		if c.Answer != nil {
			sum += float64(c.Answer.Data.CreditCents)
		}
	}
	return sum
}

func (p Settled) keeps(was Payload, bad *invalid.Errors) {
	keep("complaint_id", p.ComplaintID, was.(Settled).ComplaintID, bad)
}

func (p Complaint) keeps(was Payload, bad *invalid.Errors) {
	keep("number", p.Number, was.(Complaint).Number, bad)
}

// ComplaintReasons proposes the reasons of a complaint: what the last inspection and
// the last check found, and why the lot was refused.
func ComplaintReasons(s *State) []string {
	var reasons []string
	add := func(text string) {
		if text != "" && !slices.Contains(reasons, text) {
			reasons = append(reasons, text)
		}
	}
	add(s.RefusedFor)
	if i, ok := s.Inspection(); ok {
		for _, r := range i.Proposed.Against {
			add(r)
		}
	}
	if n := len(s.Checks); n > 0 {
		c := s.Checks[n-1]
		for _, t := range c.Left {
			add(fmt.Sprintf("ordered off, still on: %s", t.Name()))
		}
		for _, t := range c.Missing {
			add(fmt.Sprintf("ordered on, missing: %s", t.Name()))
		}
		for _, id := range c.Faults {
			for _, f := range PackingFaults {
				if f.ID == id {
					add("packing: " + f.Name)
				}
			}
		}
		if c.ReworkMinutes > 0 {
			add(fmt.Sprintf("%.0f minutes of rework, %.2f", c.ReworkMinutes, float64(c.CostCents())/100))
		}
	}
	return reasons
}
