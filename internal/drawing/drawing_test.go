package drawing

import (
	"encoding/xml"
	"errors"
	"flag"
	"html/template"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/species"
)

var update = flag.Bool("update", false, "write the golden files anew")

// golden compares a drawing with testdata/name.svg, and checks that it is
// well-formed.
func golden(t *testing.T, name string, got template.HTML) {
	t.Helper()
	d := xml.NewDecoder(strings.NewReader(string(got)))
	for {
		if _, err := d.Token(); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			t.Fatalf("%s is not well-formed: %v", name, err)
		}
	}
	path := filepath.Join("testdata", name+".svg")
	if *update {
		if err := os.WriteFile(path, []byte(got), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	want, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if string(want) != string(got) {
		t.Errorf("%s differs from its golden file; look at it, then go test ./internal/drawing -update", name)
	}
}

// looks of a subject in the scheme offered for it: every sign at a share of its
// levels.
func lookAt(t *testing.T, s Subject, share float64) freshness.Features {
	t.Helper()
	scheme := schemeOf(t, s)
	fish := freshness.Fish{Signs: freshness.Signs{}}
	for _, sign := range scheme.SignsOn(s.Form) {
		fish.Signs[sign.ID] = int(math.Round(share * float64(len(sign.Levels)-1)))
	}
	return scheme.Features(fish)
}

func schemeOf(t *testing.T, s Subject) freshness.Scheme {
	t.Helper()
	for _, sp := range species.Builtin().All() {
		if sp.Figure != s.Figure {
			continue
		}
		for _, scheme := range freshness.Schemes() {
			if scheme.Fits(sp, s.Form, s.Frozen) {
				return scheme
			}
		}
	}
	t.Fatalf("no scheme for %v", s)
	return freshness.Scheme{}
}

// subjects are one of each kind of drawing.
var subjects = []Subject{
	{"atlantic-cod", "whole", false}, {"sea-bream", "gutted", false}, {"sea-bass", "gutted_gills_out", false},
	{"plaice", "gutted", false}, {"atlantic-herring", "whole", false}, {"atlantic-salmon", "gutted", false},
	{"tail", "tail", false}, {"yellowfin", "whole", false}, {"ray", "gutted", false}, {"yellowfin", "loin", false},
	{"atlantic-cod", "headed_gutted", false}, {"tail", "whole", false},
	{"atlantic-salmon", "fillet_skin_on", false}, {"atlantic-cod", "fillet_skinless", false}, {"atlantic-herring", "whole", true},
	{"atlantic-salmon", "fillet_skin_on", true}, {"yellowfin", "loin", true},
	{"mackerel", "headed_gutted", false}, {"billfish", "whole", false}, {"haddock", "whole", false},
}

func TestPictures(t *testing.T) {
	for i, s := range subjects {
		for name, share := range map[string]float64{"fresh": 0, "tired": 0.5, "old": 1} {
			p := Picture{Subject: s, Features: lookAt(t, s, share)}
			for _, sign := range schemeOf(t, s).SignsOn(s.Form) {
				p.Zones = append(p.Zones, sign.Zone)
			}
			p.Now, p.Done = p.Zones[0], p.Zones[1:2]
			d := p.Draw()
			if i%3 == 0 { // golden files for every third are enough
				golden(t, s.String()+"-"+name, d)
			}
			if len(d) > 40<<10 {
				t.Errorf("%v, %s: %d bytes", s, name, len(d))
			}
		}
	}
}

// Every level of every sign that can be seen changes the drawing, on every
// subject and by every scheme that fits it, and its zone is on the drawing.
func TestEachLevelShows(t *testing.T) {
	for _, sp := range species.Builtin().All() {
		for _, form := range lot.Forms {
			for _, scheme := range freshness.Schemes() {
				subject := Subject{sp.Figure, form, scheme.Frozen}
				if !scheme.Fits(sp, form, scheme.Frozen) || checked[subject.String()+scheme.ID] {
					continue
				}
				checked[subject.String()+scheme.ID] = true
				for _, sign := range scheme.SignsOn(form) {
					seen := map[template.HTML]bool{}
					for level := range sign.Levels {
						look := scheme.Features(freshness.Fish{Signs: freshness.Signs{sign.ID: level}})
						seen[Picture{Subject: subject, Features: look}.Draw()] = true
					}
					if len(seen) != len(sign.Levels) {
						t.Errorf("%v: the %d levels of %s, %s, make %d drawings", subject, len(sign.Levels),
							scheme.Name, sign.Name, len(seen))
					}
					if !slices.ContainsFunc(drawingOf(subject, nil).zones(), func(z zone) bool {
						return z.id == sign.Zone
					}) {
						t.Errorf("%v has no zone %s for %s, %s", subject, sign.Zone, scheme.Name, sign.Name)
					}
				}
			}
		}
	}
}

var checked = map[string]bool{}

// Schemes and explanations show only features that drawings know.
func TestFeaturesAreKnown(t *testing.T) {
	check := func(by string, look freshness.Features) {
		for feature, value := range look {
			if !slices.Contains(FeatureNames, feature) || value <= 0 || value > 1 {
				t.Errorf("%s shows %s %v", by, feature, value)
			}
		}
	}
	for _, s := range freshness.Schemes() {
		for _, sign := range s.Signs {
			for _, level := range sign.Levels {
				check(s.ID+" "+sign.ID, level.Show)
			}
		}
	}
	for _, e := range freshness.Explanations() {
		check(e.ID, e.Show)
	}
}

func TestSubjectInAddress(t *testing.T) {
	for _, s := range subjects {
		if got, ok := ParseSubject(s.String()); !ok || got != s {
			t.Errorf("%v came back as %v", s, got)
		}
	}
	for _, bad := range []string{"", "cod", "cod.raw", "unicorn.whole", "cod.whole.warm", "cod.whole.frozen.x",
		"../cod.whole"} {
		if s, ok := ParseSubject(bad); ok {
			t.Errorf("%q was read as %v", bad, s)
		}
	}
}

func TestRuler(t *testing.T) {
	gap := 2.4
	golden(t, "ruler", Ruler(species.Range{Lo: 9, Hi: 15}, &freshness.Age{Days: 3, SD: 1.5},
		&freshness.Age{Days: 9, SD: 1.8}, &gap))
	golden(t, "ruler-at-least", Ruler(species.Range{Lo: 9, Hi: 15}, nil,
		&freshness.Age{Days: 12, SD: 1.8, AtLeast: true}, nil))
}

func TestColdLine(t *testing.T) {
	t0 := time.Date(2026, 3, 1, 6, 0, 0, 0, time.UTC)
	at := func(h float64) time.Time { return t0.Add(time.Duration(h * float64(time.Hour))) }
	l := ColdLine{From: at(0), To: at(60), Zone: time.UTC, Scale: "C", LimitC: 2, Limit: "keep chilled",
		Stages: []Stage{{Span: coldchain.Span{From: at(0), To: at(30)}, Name: "On the way",
			Assumed: []coldchain.Span{{From: at(0), To: at(30)}}, AssumeC: 2},
			{Span: coldchain.Span{From: at(30), To: at(60)}, Name: "Walk-in <1>"}},
		Marks: []Mark{{At: at(0), Label: "Caught"}, {At: at(30), Label: "Received"},
			{At: at(30.5), Label: "Moved", Void: true}},
		Trace: []TracePoint{{At: at(31), Mean: 1, Min: 0.5, Max: 1.5, Break: true},
			{At: at(40), Mean: 4, Min: 3, Max: 6}, {At: at(50), Mean: 1, Min: 1, Max: 1, Break: true},
			{At: at(59), Mean: 1, Min: 0, Max: 2}},
		Spots: []coldchain.Reading{{At: at(30), Celsius: 1.2}}}
	golden(t, "coldline", l.Draw())
	golden(t, "spark", l.Spark())
	ColdLine{From: t0, To: t0, Zone: time.UTC}.Draw() // an instant must not divide by zero
}

// Each part that is ordered off changes the drawing and its mark, each that is
// wrong its mark, and all marks lie within the drawing.
func TestTrimmed(t *testing.T) {
	for _, s := range subjects {
		if s.Frozen {
			continue
		}
		all := lot.TrimFor(s.Form)
		plain := Trimmed(s.Figure, s.Form, nil, nil)
		seen := map[template.HTML]bool{plain: true}
		for _, part := range all {
			seen[Trimmed(s.Figure, s.Form, []lot.Trim{part}, nil)] = true
			seen[Trimmed(s.Figure, s.Form, []lot.Trim{part}, []lot.Trim{part})] = true
		}
		if len(seen) != 1+2*len(all) {
			t.Errorf("%v: %d parts make %d drawings, want %d", s, len(all), len(seen), 1+2*len(all))
		}
		d := xml.NewDecoder(strings.NewReader(string(Trimmed(s.Figure, s.Form, all, nil))))
		marks := 0
		for {
			token, err := d.Token()
			if errors.Is(err, io.EOF) {
				break
			} else if err != nil {
				t.Fatal(err)
			}
			rect, ok := token.(xml.StartElement)
			if !ok || rect.Name.Local != "rect" {
				continue
			}
			var x, y, w, h float64
			for _, a := range rect.Attr {
				for name, into := range map[string]*float64{"x": &x, "y": &y, "width": &w, "height": &h} {
					if a.Name.Local == name {
						*into, _ = strconv.ParseFloat(a.Value, 64)
					}
				}
			}
			marks++
			if x < 0 || x+w > 1000 || y < -20 || y+h > 410 {
				t.Errorf("%v: a mark lies at %v, %v", s, x, y)
			}
		}
		if marks != len(all) {
			t.Errorf("%v: %d marks for %d parts", s, marks, len(all))
		}
	}
}

func TestGaps(t *testing.T) {
	t0 := time.Date(2026, 3, 1, 6, 0, 0, 0, time.UTC)
	var points []GapPoint
	var days []float64
	for i := range 9 {
		d := 1.2 + 0.8*math.Sin(float64(i))
		days = append(days, d)
		points = append(points, GapPoint{At: t0.AddDate(0, 0, 2*i), Days: d, Label: "COVE-1 <&>", Href: "/k/x/lots/1"})
	}
	golden(t, "gaps", AgeGaps(points, freshness.ConsistencyOf(days), time.UTC))
	if few := AgeGaps(points[:5], freshness.ConsistencyOf(days[:5]), time.UTC); strings.Contains(string(few),
		"gap-band") {
		t.Error("a band is drawn for five lots")
	}
	// an instant must not divide by zero
	one := string(AgeGaps(points[:1], freshness.ConsistencyOf(days[:1]), time.UTC))
	if !strings.Contains(one, "gap-dot") || strings.Contains(one, "NaN") || strings.Contains(one, "Inf") {
		t.Error("one lot is not drawn")
	}
	if AgeGaps(nil, freshness.Consistency{}, time.UTC) != "" {
		t.Error("no lots are drawn")
	}
}

// A stranger puts fresh, tired and old in order because more ink of age is on
// them: of what a scheme shows, each feature grows from level to level.
func TestFeaturesGrowWithTheLevels(t *testing.T) {
	good := map[string]bool{"sea": true, "gill_sea": true, "rigor": true} // these fade
	for _, s := range freshness.Schemes() {
		for _, sign := range s.Signs {
			for i := 1; i < len(sign.Levels); i++ {
				for feature, before := range sign.Levels[i-1].Show {
					now := sign.Levels[i].Show[feature]
					if feature == "gill_brown" && sign.Levels[i].Show["gill_pale"] > 0 || feature == "dry" ||
						feature == "wet" {
						continue // brown gills bleach; a wet face dries
					}
					if good[feature] && now > before || !good[feature] && now < before {
						t.Errorf("%s, %s: %s goes from %v to %v at level %d", s.ID, sign.ID, feature, before, now, i)
					}
				}
			}
		}
	}
}

func FuzzParseLook(f *testing.F) {
	f.Add("dent:1,droop:0.3")
	f.Add("")
	f.Add("eye_cloud:NaN,:,,")
	f.Fuzz(func(t *testing.T, text string) {
		look, ok := ParseFeatures(text)
		if !ok {
			return
		}
		for feature, value := range look {
			if !(value >= 0 && value <= 1) || !slices.Contains(FeatureNames, feature) {
				t.Errorf("%q was read as %s %v", text, feature, value)
			}
		}
		if back, ok := ParseFeatures(FormatFeatures(look)); !ok || len(back) != len(look) {
			t.Errorf("%v came back as %v", look, back)
		}
	})
}

// Every figure of the catalogue is drawn, and no two coats look the same; each stays within its picture.
func TestCoats(t *testing.T) {
	for _, sp := range species.Builtin().All() {
		if _, ok := ParseSubject(Subject{Figure: sp.Figure, Form: "whole"}.String()); !ok {
			t.Errorf("%s is drawn as %q", sp.ID, sp.Figure)
		}
	}
	seen := map[template.HTML]string{}
	for name := range coats {
		d := template.HTML(strings.ReplaceAll(string(Picture{Subject: Subject{Figure: name, Form: "whole"}}.Draw()), name, ""))
		if other, ok := seen[d]; ok {
			t.Errorf("%s looks like %s", name, other)
		}
		seen[d] = name
		f := newBody(Subject{Figure: name, Form: "whole"}, freshness.Features{})
		if top := f.at(0, f.top()).y; top < 14 {
			t.Errorf("%s rises to %.0f, over the picture", name, top)
		}
		if tip := f.at(-f.bill, 0).x; tip < 20 {
			t.Errorf("%s begins at %.0f, beside the picture", name, tip)
		}
	}
}
