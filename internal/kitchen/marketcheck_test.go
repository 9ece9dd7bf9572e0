package kitchen_test

import (
	"testing"

	"leancatch/internal/core/freshness"
	"leancatch/internal/kitchen"
)

// What may not be touched or smelt at a stall counts as unseen, whatever was chosen for it.
func TestAnswersAtTheStallHideSigns(t *testing.T) {
	b := newBench(t)
	signs := freshness.Signs{"eyes": 0, "gills": 0, "smell": 0, "press": 0, "skin": 0}
	for _, c := range []struct {
		answers map[string]string
		seen    int
		want    freshness.Decision
	}{
		{nil, 5, freshness.Accept}, {map[string]string{"press": "yes", "back": "none"}, 5, freshness.Accept},
		{map[string]string{"press": "no"}, 4, freshness.AcceptCook}, {map[string]string{"out": "no", "unwrapped": "no"}, 2, freshness.AcceptCook},
	} {
		if c.seen == 2 { // what is wrong all the same counts
			bad := kitchen.MarketCheck{SpeciesID: "sea-bass", Form: "whole", Fish: freshness.Fish{Signs: freshness.Signs{"smell": 2}}, Answers: c.answers}
			if _, verdict, err := b.PreviewMarketCheck(b.ctx, bad); err != nil || verdict.Decision != freshness.Refuse {
				t.Errorf("%v, and it smells: %s, %v", c.answers, verdict.Decision, err)
			}
		}
		check := kitchen.MarketCheck{SpeciesID: "sea-bass", Form: "whole", Fish: freshness.Fish{Signs: signs}, Answers: c.answers}
		reading, verdict, err := b.PreviewMarketCheck(b.ctx, check)
		b.must(err)
		if reading.SignsSeen != c.seen || verdict.Decision != c.want {
			t.Errorf("%v: %d signs seen, %s; want %d, %s", c.answers, reading.SignsSeen, verdict.Decision, c.seen, c.want)
		}
	}
	if len(signs) != 5 {
		t.Error("the check itself lost a sign")
	}
}

// A stall is known by its checks, and by how often what comes from the back is fresher.
func TestStalls(t *testing.T) {
	check := func(stall string, index float64, decision freshness.Decision) kitchen.MarketCheckResult {
		return kitchen.MarketCheckResult{MarketCheck: kitchen.MarketCheck{ID: kitchen.NewID(), Stall: stall},
			Reading: freshness.Reading{Index: index, IndexMax: 10}, Verdict: freshness.Verdict{Decision: decision}}
	}
	front, worse := check("Pier 4", 4, freshness.Hold), check("Pier 4", 5, freshness.Hold)
	better := check("Pier 4", 1, freshness.Accept)
	better.SecondOf, worse.SecondOf = front.ID, front.ID
	stalls := kitchen.Stalls([]kitchen.MarketCheckResult{check("Quay", 0, freshness.Accept), worse, better, front, check("", 0, freshness.Accept)})
	if len(stalls) != 2 || stalls[0] != (kitchen.Stall{Name: "Pier 4", Checks: 3, Passed: 1, Seconds: 2, Better: 1}) {
		t.Errorf("%+v", stalls)
	}
}
