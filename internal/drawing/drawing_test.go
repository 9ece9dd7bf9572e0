package drawing

import (
	"encoding/xml"
	"errors"
	"flag"
	"html/template"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
	"leancatch/internal/core/freshness"
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

var (
	fresh = freshness.Signs{"skin": 0, "stiffness": 0, "smell": 0}
	tired = freshness.Signs{"skin": 1, "blood_spots": 1, "stiffness": 2, "belly": 1, "smell": 1, "eye_clarity": 0, "eye_shape": 1, "gill_colour": 0, "gill_smell": 1}
	old   = freshness.Signs{"skin": 2, "blood_spots": 3, "stiffness": 3, "belly": 2, "smell": 3, "eye_clarity": 1, "eye_shape": 2, "gill_colour": 1, "gill_smell": 3}
)

func TestFish(t *testing.T) {
	golden(t, "cod-fresh", Fish("cod", fresh, "eye", nil, false))
	golden(t, "cod-tired", Fish("cod", tired, "belly", []string{"eye", "gills"}, false))
	golden(t, "cod-old", Fish("cod", old, "smell", nil, false))
	golden(t, "bream-gills-out", Fish("bream", tired, "skin", nil, true))
}

// Every level of every sign changes the drawing, on every figure, and no
// drawing is large.
func TestEachLevelShows(t *testing.T) {
	scheme, _ := freshness.Get("demerit20")
	for name := range figures {
		for _, sign := range scheme.Signs {
			seen := map[template.HTML]bool{}
			for level := range sign.Levels {
				d := Fish(name, freshness.Signs{sign.ID: level}, "", nil, false)
				if len(d) > 40<<10 {
					t.Errorf("%s: %d bytes", name, len(d))
				}
				seen[d] = true
			}
			if len(seen) != len(sign.Levels) {
				t.Errorf("%s: the %d levels of %s make %d drawings", name, len(sign.Levels), sign.ID, len(seen))
			}
		}
	}
}

func TestRuler(t *testing.T) {
	gap := 2.4
	golden(t, "ruler", Ruler(species.Range{Lo: 9, Hi: 15}, &freshness.Age{Days: 3, SD: 1.5}, &freshness.Age{Days: 9, SD: 1.8}, &gap))
	golden(t, "ruler-at-least", Ruler(species.Range{Lo: 9, Hi: 15}, nil, &freshness.Age{Days: 12, SD: 1.8, AtLeast: true}, nil))
}

func TestColdLine(t *testing.T) {
	t0 := time.Date(2026, 3, 1, 6, 0, 0, 0, time.UTC)
	at := func(h float64) time.Time { return t0.Add(time.Duration(h * float64(time.Hour))) }
	l := ColdLine{From: at(0), To: at(60), Zone: time.UTC, Scale: "C", LimitC: 2, Limit: "keep chilled",
		Stages: []Stage{{Span: coldchain.Span{From: at(0), To: at(30)}, Name: "On the way", Assumed: []coldchain.Span{{From: at(0), To: at(30)}}, AssumeC: 2},
			{Span: coldchain.Span{From: at(30), To: at(60)}, Name: "Walk-in <1>"}},
		Marks: []Mark{{At: at(0), Label: "Caught"}, {At: at(30), Label: "Received"}, {At: at(30.5), Label: "Moved", Void: true}},
		Trace: []TracePoint{{At: at(31), Mean: 1, Min: 0.5, Max: 1.5, Break: true}, {At: at(40), Mean: 4, Min: 3, Max: 6}, {At: at(50), Mean: 1, Min: 1, Max: 1, Break: true}, {At: at(59), Mean: 1, Min: 0, Max: 2}},
		Spots: []coldchain.Reading{{At: at(30), Celsius: 1.2}}}
	golden(t, "coldline", l.Draw())
	golden(t, "spark", l.Spark())
	ColdLine{From: t0, To: t0, Zone: time.UTC}.Draw() // an instant must not divide by zero
}
