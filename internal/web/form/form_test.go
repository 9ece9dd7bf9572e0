package form

import (
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/invalid"
	"leancatch/internal/core/unit"
)

func oslo(t *testing.T) *time.Location {
	zone, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	return zone
}

// In 2026 the clocks of Oslo went forward on 29 March at 02:00 and back on 25 October at 03:00
// (Directive 2000/84/EC: the last Sundays of March and October, at 01:00 UTC).
func TestLocalTimes(t *testing.T) {
	for _, c := range []struct{ text, which, want, bad string }{
		{"2026-11-29T06:15", "", "2026-11-29T05:15:00Z", ""},
		{"2026-11-29T06:15:30", "", "2026-11-29T05:15:30Z", ""},
		{"2026-03-29T01:59", "", "2026-03-29T00:59:00Z", ""},
		{"2026-03-29T02:30", "", "", "there was no such hour"},
		{"2026-03-29T03:00", "", "2026-03-29T01:00:00Z", ""},
		{"2026-10-25T01:59", "", "2026-10-24T23:59:00Z", ""},
		{"2026-10-25T02:30", "", "", "came twice"},
		{"2026-10-25T02:30", "1", "2026-10-25T00:30:00Z", ""},
		{"2026-10-25T02:30", "2", "2026-10-25T01:30:00Z", ""},
		{"2026-10-25T03:00", "", "2026-10-25T02:00:00Z", ""},
		{"2026-02-30T10:00", "", "", "is not a date and time"},
		{"2026-10-25", "", "", "is not a date and time"},
	} {
		r := Reader{Values: url.Values{"at": {c.text}, "at-twice": {c.which}}, Zone: oslo(t)}
		got := r.At("at")
		switch said := r.Bad.On("at"); {
		case c.bad != "" && (got != nil || !strings.Contains(said, c.bad)):
			t.Errorf("%s: %v, %q, want %q", c.text, got, said, c.bad)
		case c.bad == "" && (got == nil || got.Format(time.RFC3339) != c.want):
			t.Errorf("%s (%s): %v %q, want %s", c.text, c.which, got, said, c.want)
		}
	}
}

// A day without its hour counts from its beginning; an hour without its day is nothing.
func TestDayAndHour(t *testing.T) {
	for _, c := range []struct{ day, hour, want, field string }{
		{"", "", "", ""},
		{"2026-11-28", "", "2026-11-27T23:00:00Z", ""},
		{"2026-11-28", "14:30", "2026-11-28T13:30:00Z", ""},
		{"", "14:30", "", "day"},
		{"28.11.", "14:30", "", "day"},
		{"2026-11-28", "2pm", "", "hour"},
	} {
		r := Reader{Values: url.Values{"day": {c.day}, "hour": {c.hour}}, Zone: oslo(t)}
		got := r.DayAndHour("day", "hour")
		if (got == nil) != (c.want == "") || got != nil && got.Format(time.RFC3339) != c.want || (c.field != "") != (r.Bad.On(c.field) != "") {
			t.Errorf("%q %q: %v, %v", c.day, c.hour, got, r.Bad)
		}
	}
}

// What people type with a number is understood; what is none is named beside its field.
func TestNumbers(t *testing.T) {
	r := Reader{Values: url.Values{"kg": {"24,5 kg"}, "lb": {"3 lb"}, "core": {"34F"}, "mm": {" 18 mm"}, "n": {"12"}, "half": {"1.5"},
		"none": {"heavy"}, "zero": {"0 kg"}, "drip": {"30 g"}, "price": {"12,50"}}, Temps: unit.CelsiusScale, Masses: unit.KilogramScale}
	near := func(name string, got, want float64) {
		if d := got - want; d > 1e-9 || d < -1e-9 {
			t.Errorf("%s: %v, want %v", name, got, want)
		}
	}
	near("24,5 kg", r.MustMass("kg"), 24.5)
	near("3 lb", r.MustMass("lb"), 3*0.45359237) // the international pound of 1959
	near("34F", r.MustCelsius("core"), 10.0/9)
	near("18 mm", r.MustNumber("mm", "mm"), 18)
	near("12", float64(r.MustWhole("n")), 12)
	near("0 kg", r.MassOrNone("zero"), 0)
	near("nothing", r.MassOrNone("missing"), 0)
	near("30 g", r.Grams("drip"), 30)
	near("12,50", float64(r.Cents("price")), 1250)
	if len(r.Bad) > 0 {
		t.Fatalf("refused: %v", r.Bad)
	}
	for field, read := range map[string]func(){"none": func() { r.MustMass("none") }, "half": func() { r.MustWhole("half") },
		"missing": func() { r.MustCelsius("missing") }, "mm": func() { r.MustNumber("mm", "g") }} {
		if read(); r.Bad.On(field) == "" {
			t.Errorf("%s: nothing is said beside it", field)
		}
	}
}

// A form acts only on exactly what its person saw: any change of a field, a tick more, a
// line more asks for another look; what browsers change on the way does not.
func TestWhatIsSeenIsWhatIsSent(t *testing.T) {
	back := Back{Values: url.Values{"kg": {"2.4"}, "note": {"two\nlines"}, "prep": {"bled"}, "way": {"fan"}}, Sent: true}
	draw := func() *Form {
		f := back.Form("")
		for _, err := range []error{
			second(f.Number("kg", "Weight")), second(f.Area("note", "Note")), second(f.Select("way", "How", []string{"still", "fan"})),
			second(f.Ticks("prep", "Done", []string{"bled", "dried"})), second(f.Tick("raw", "Raw")), second(f.NewID("id")),
			second(f.Choose("use", "For", []string{"raw", "cook"})),
		} {
			if err != nil {
				t.Fatal(err)
			}
		}
		return f
	}
	f := draw()
	sent := f.Sends()
	sent.Set("shown", f.Shown().Value)
	sent.Set("note", "two\r\nlines") // as browsers send it
	seen := func(change func(url.Values)) bool {
		values := url.Values{}
		for k, v := range sent {
			values[k] = slices.Clone(v)
		}
		change(values)
		r := Reader{Values: values}
		return r.Seen()
	}
	if !seen(func(url.Values) {}) {
		t.Error("unchanged, it is asked about again")
	}
	for name, change := range map[string]func(url.Values){
		"another weight": func(v url.Values) { v.Set("kg", "2.5") },
		"another way":    func(v url.Values) { v.Set("way", "still") },
		"one tick more":  func(v url.Values) { v.Add("prep", "dried") },
		"no tick":        func(v url.Values) { v.Del("prep") },
		"raw":            func(v url.Values) { v.Set("raw", "1") },
		"a choice":       func(v url.Values) { v.Set("use", "raw") },
		"a preview only": func(v url.Values) { v.Set("preview", "1") },
		"nothing shown":  func(v url.Values) { v.Del("shown") },
		"another's":      func(v url.Values) { v.Set("id", "0195a5c2-0000-7000-8000-000000000001") },
	} {
		if seen(change) {
			t.Errorf("%s: it acts without another look", name)
		}
	}
}

func second(_ Field, err error) error { return err }

// An error stands beside the field that shows it, under whatever name; any other at the
// button. None is lost.
func TestNoErrorIsLost(t *testing.T) {
	back := Back{Came: "weigh", Sent: true, Values: url.Values{"kg": {"x"}}, Errors: invalid.Errors{{Field: "kg", Message: "is not a number"},
		{Field: "lots", Message: "choose one"}, {Field: "lot", Message: "is on hold"}, {Field: "seen", Message: "open the page again"}}}
	f := back.Form("weigh")
	kg, _ := f.Number("kg", "Weight", "help", "of one fish")
	lots, _ := f.Ticks("lot_id", "Lots", []string{"a"}, "also", "lots")
	f.Hidden("seen", 3)
	if kg.Error != "is not a number" || kg.Value != "x" || kg.DescribedBy() != "weigh-kg-help weigh-kg-error" || lots.Error != "choose one" {
		t.Errorf("%+v, %+v", kg, lots)
	}
	if rest := f.Rest(); !slices.Equal(rest, []string{"is on hold", "open the page again"}) {
		t.Errorf("at the button: %q", rest)
	}
	if other := back.Form("check"); len(other.Errors) > 0 || other.Val("kg") != "" {
		t.Error("another form of the page shows what was typed into this one")
	}
}

// What stands in a form and is no choice any more stays what it is.
func TestAnOldChoiceStays(t *testing.T) {
	f := Back{Values: url.Values{"medium": {"ice_water"}}}.Form("")
	x, err := f.Select("medium", "In", []string{"water", "slurry"}, "blank", "not known")
	if err != nil || !slices.Equal(x.sends(), []string{"ice_water"}) {
		t.Errorf("it sends %v, %v", x.sends(), err)
	}
	if _, err := f.Text("a", "A", "colour", "red"); err == nil {
		t.Error("an option that there is not is taken")
	}
}

// A suggestion follows what it was made of until somebody types over it.
func TestSuggestions(t *testing.T) {
	var b Back
	b.Suggest("mm", "18")
	b.Suggest("mm", "22")
	if b.Val("mm") != "22" {
		t.Errorf("it stays %s", b.Val("mm"))
	}
	b.Values.Set("mm", "30")
	if b.Suggest("mm", "24"); b.Val("mm") != "30" {
		t.Errorf("what was typed became %s", b.Val("mm"))
	}
}
