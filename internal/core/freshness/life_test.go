package freshness

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"leancatch/internal/core/safety"
	"leancatch/internal/core/species"
)

// readAs is the age that so many fish with one index read as.
func readAs(t *testing.T, id string, fish int, index float64) (*Age, species.Range) {
	t.Helper()
	sp, ok := species.Builtin().Get(id)
	if !ok {
		t.Fatal("no such species: " + id)
	}
	s := demerit(t)
	list := make([]Fish, fish)
	for i := range list {
		list[i] = Fish{Signs: allAt(s, 0)}
		left := index
		for _, sign := range s.Signs {
			if take := math.Min(left, float64(len(sign.Levels)-1)); take > 0 {
				list[i].Signs[sign.ID] = int(take)
				left -= take
			}
		}
	}
	read, err := s.Read(sp.ShelfLife, list)
	if err != nil {
		t.Fatal(err)
	}
	return read.Age, sp.ShelfLife
}

// What an inspection leaves: a fish is out of life when it reaches the index of rejection and
// not before.
func TestLeftByAnInspection(t *testing.T) {
	for _, c := range []struct {
		species string
		index   float64
		spent   bool
	}{
		{"mackerel", 6, false}, {"grouper", 6, false}, {"cod", 12, false},
		{"mackerel", 15, true}, {"cod", 15, true},
	} {
		read, shelf := readAs(t, c.species, 5, c.index)
		left := Evidence{ReadAge: read}.Left(shelf)
		if got := left.Days <= 0.01*shelf.Lo; got != c.spent {
			t.Errorf("%s at index %g has %.2f of %.0f days left", c.species, c.index, left.Days, shelf.Lo)
		}
	}
	if left := (Evidence{}).Left(species.Range{Lo: 8, Hi: 12}); !math.IsNaN(left.Days) {
		t.Errorf("with nothing known %v are left", left)
	}
}

// The same fish by the verdict: it is not refused before it reaches the index of rejection.
func TestTheVerdictOfAnOldMackerel(t *testing.T) {
	profile, _ := safety.GetProfile("house-strict")
	for index, refused := range map[float64]bool{6: false, 15: true} {
		for _, id := range []string{"mackerel", "grouper"} {
			read, _ := readAs(t, id, 1, index)
			sp, _ := species.Builtin().Get(id)
			v := Judge(Facts{Scheme: demerit(t), Species: sp, Profile: profile, Count: 1, CoreUnasked: true,
				Reading: Reading{Age: read, Index: index, SignsSeen: 9}})
			if (v.Decision == Refuse) != refused {
				t.Errorf("%s at index %g: %s by %s, %v", id, index, v.Decision, v.Rule, v.Reasons)
			}
		}
	}
}

// The core at receipt, on both sides of each limit of the rules.
func TestTheCoreAtReceipt(t *testing.T) {
	sp, _ := species.Builtin().Get("cod")
	for _, c := range []struct {
		profile string
		core    float64
		want    Decision
		stops   int
	}{
		{"house-strict", 2, Accept, 0}, {"house-strict", 2.1, Hold, 0}, {"house-strict", 3, Hold, 0},
		{"house-strict", 3.1, Refuse, 1}, {"eu", 2, Accept, 0}, {"eu", 4, Hold, 0}, {"eu", 4.1, Refuse, 1},
		{"model-code", 5, Accept, 0}, {"model-code", 5.1, Refuse, 1},
	} {
		profile, _ := safety.GetProfile(c.profile)
		read, _ := readAs(t, "cod", 1, 1)
		v := Judge(Facts{Scheme: demerit(t), Species: sp, Profile: profile, Count: 1, CoreC: &c.core,
			Reading: Reading{Age: read, Index: 1, SignsSeen: 9}})
		if v.Decision != c.want || len(v.HardStops) != c.stops {
			t.Errorf("%s at %v °C: %s with %d hard stops, %v", c.profile, c.core, v.Decision, len(v.HardStops), v.Reasons)
		}
	}
}

// Whether fish is young enough for raw service, both sides of each limit.
func TestNotYoung(t *testing.T) {
	perfect, bass := readAs(t, "sea-bass", 1, 0)
	five, turbot := readAs(t, "turbot", 5, 0)
	paper := func(days, sd float64) *Age { return &Age{Days: days, SD: sd} }
	shelf := species.Range{Lo: 12, Hi: 18} // a third of the middle is 5, half of the lower end 6
	for _, c := range []struct {
		name  string
		e     Evidence
		shelf species.Range
		want  string
	}{
		{"one perfect bass", Evidence{ReadAge: perfect}, bass, ""},
		{"one perfect bass and its date", Evidence{ReadAge: perfect, DeclaredAge: paper(1, 1.5)}, bass, ""},
		{"five perfect turbot", Evidence{ReadAge: five}, turbot, ""},
		{"nothing known", Evidence{}, shelf, "not known"},
		{"a bass of four days, its date not known", Evidence{ReadAge: &Age{Days: 4, SD: perfect.SD}}, bass, "first third"},
		{"within by one sd", Evidence{ReadAge: paper(3.9, 1)}, shelf, ""},
		{"not within by one sd", Evidence{ReadAge: paper(4.1, 1)}, shelf, "not surely"},
		{"pooled young, the fish reads old", Evidence{ReadAge: paper(5.1, 2), DeclaredAge: paper(2, 0.5)}, shelf, "the fish reads older"},
		{"pooled young, the fish reads just young", Evidence{ReadAge: paper(4.9, 2), DeclaredAge: paper(2, 0.5)}, shelf, ""},
		{"they disagree", Evidence{ReadAge: paper(0.5, 0.5), DeclaredAge: paper(4, 0.5)}, shelf, "disagree"},
		{"a manager wrote why: the older and one sd", Evidence{ReadAge: paper(0.5, 0.5), DeclaredAge: paper(4, 0.5), Explained: true}, shelf, ""},
		{"a manager wrote why, and the older is too old", Evidence{ReadAge: paper(0.5, 0.5), DeclaredAge: paper(4.2, 0.5), Explained: true}, shelf, "not surely"},
		{"a wide range: past half of what is sure", Evidence{ReadAge: paper(3.2, 0.1)}, species.Range{Lo: 6, Hi: 18}, "half of the life"},
	} {
		got := c.e.NotYoung(c.shelf)
		if (got == "") != (c.want == "") || !strings.Contains(got, c.want) {
			t.Errorf("%s: %q, want %q", c.name, got, c.want)
		}
	}
}

// An inspection adds at most half of the lower end to what the papers leave, and never more
// than the upper end does; what is left never lies beyond both of what was pooled; an older
// fish never has more left.
func TestLeftIsBounded(t *testing.T) {
	rng := rand.New(rand.NewPCG(18, 3))
	for range 5000 {
		shelf := species.Range{Lo: 2 + 20*rng.Float64()}
		shelf.Hi = shelf.Lo * (1 + rng.Float64())
		read := Age{Days: 25 * rng.Float64(), SD: 0.3 + 3*rng.Float64()}
		papers := Age{Days: 25 * rng.Float64(), SD: 0.3 + 3*rng.Float64()}
		e := Evidence{ReadAge: &read, DeclaredAge: &papers}
		left := e.Left(shelf).Days
		byPapers, byLook := Evidence{DeclaredAge: &papers}.Left(shelf).Days, Evidence{ReadAge: &read}.Left(shelf).Days
		switch {
		case left > byPapers+shelf.Lo/2+1e-9, left > shelf.Hi-papers.Days+1e-9, left > math.Max(byPapers, byLook)+1e-9:
			t.Fatalf("%+v by papers %+v of %+v leaves %.2f", read, papers, shelf, left)
		}
		older := read
		older.Days += rng.Float64() * (math.Abs(Gap(read, papers)))
		if math.Abs(Gap(read, papers)) <= GapLimit && math.Abs(Gap(older, papers)) <= GapLimit {
			if then := (Evidence{ReadAge: &older, DeclaredAge: &papers}).Left(shelf).Days; then > left+1e-9 {
				t.Fatalf("%+v leaves %.2f, %+v leaves %.2f by papers %+v", read, left, older, then, papers)
			}
		}
	}
}
