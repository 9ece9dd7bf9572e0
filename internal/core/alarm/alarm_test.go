package alarm

import (
	"math"
	"math/rand/v2"
	"reflect"
	"testing"
	"time"

	"leancatch/internal/core/coldchain"
)

var t0 = time.Date(2026, 3, 2, 1, 0, 0, 0, time.UTC)

func minute(m float64) time.Time { return t0.Add(time.Duration(m * float64(time.Minute))) }

// every makes readings each five minutes of a temperature as a function of the minute.
func every(minutes int, c func(m float64) float64) []coldchain.Reading {
	var list []coldchain.Reading
	for m := 0; m <= minutes; m += 5 {
		list = append(list, coldchain.Reading{At: minute(float64(m)), Celsius: c(float64(m))})
	}
	return list
}

var rules = Rules{WarmC: 2, FreezingC: FreezingC, Delay: 20 * time.Minute, Interval: 5 * time.Minute, Doors: true}

// peak is a triangle: 1 °C, up to top in the middle of the span, and back.
func peak(from, to, top float64) func(float64) float64 {
	return func(m float64) float64 {
		mid := (from + to) / 2
		if m <= from || m >= to {
			return 1
		}
		return 1 + (top-1)*(1-math.Abs(m-mid)/(mid-from))
	}
}

func TestWarmHasADelayAndHysteresis(t *testing.T) {
	for _, c := range []struct {
		name  string
		c     func(float64) float64
		until float64
		want  []Episode
	}{
		{"a door for a quarter of an hour", peak(60, 80, 7), 240, nil},
		// Above 2 °C from 70 to 170 (a slope of 0.1 K a minute), gone at 1.5 °C.
		{"a failure", peak(60, 180, 7), 240,
			[]Episode{{Kind: Warm, Since: minute(70), Raised: minute(90), Ended: minute(175), Worst: 7, Limit: 2}}},
		{"a failure that goes on", func(m float64) float64 { return 1 + m/60 }, 120,
			[]Episode{{Kind: Warm, Since: minute(60), Raised: minute(80), Worst: 3, Limit: 2}}},
		{"on its way to the delay", func(m float64) float64 { return 1 + m/60 }, 75, nil},
		{"swings about the limit", func(m float64) float64 {
			if m < 60 {
				return 1
			}
			return 2.2 + 0.4*math.Sin(m-60)
		}, 240, []Episode{{Kind: Warm, Since: minute(55 + 5/1.2), Worst: 0, Limit: 2}}},
		{"at the limit is not above it", func(float64) float64 { return 2 }, 240, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := Watch(every(int(c.until), c.c), minute(c.until), rules)
			if len(got) != len(c.want) {
				t.Fatalf("%d episodes %+v, want %d", len(got), got, len(c.want))
			}
			for i, w := range c.want {
				if w.Raised.IsZero() { // only one, however it swings
					if got[i].Kind != w.Kind || got[i].Since.Sub(w.Since).Abs() > time.Second || !got[i].Lasts() {
						t.Errorf("%+v, want it since %s, lasting", got[i], w.Since)
					}
					continue
				}
				if !reflect.DeepEqual(got[i], w) {
					t.Errorf("%+v\nwant %+v", got[i], w)
				}
			}
		})
	}
}

func TestColdEnoughToFreeze(t *testing.T) {
	got := Watch(every(120, func(m float64) float64 { return -m / 30 }), minute(120), rules)
	if len(got) != 1 || got[0].Kind != Freezing || got[0].Since != minute(45) || got[0].Raised != minute(65) ||
		got[0].Worst != -4 {
		t.Errorf("%+v", got)
	}
	freezer := Rules{WarmC: -20, FreezingC: math.NaN(), Delay: 45 * time.Minute, Interval: 5 * time.Minute}
	if got := Watch(every(120, func(float64) float64 { return -22 }), minute(120), freezer); got != nil {
		t.Errorf("a freezer at its work: %+v", got)
	}
}

func TestSilence(t *testing.T) {
	readings := every(180, func(float64) float64 { return 1 })
	gap := append(readings[:13:13], readings[25:]...) // from 60 to 125
	got := Watch(gap, minute(180), rules)
	if len(got) != 1 || got[0].Kind != Silent || got[0].Since != minute(60) || got[0].Raised != minute(75) ||
		got[0].Ended != minute(125) {
		t.Errorf("a gap: %+v", got)
	}
	got = Watch(readings, minute(196), rules)
	if len(got) != 1 || got[0].Since != minute(180) || !got[0].Lasts() {
		t.Errorf("silent now: %+v", got)
	}
	if got := Watch(readings, minute(194), rules); got != nil {
		t.Errorf("not yet: %+v", got)
	}
}

func TestADoorThatIsOpenedAgainAndAgain(t *testing.T) {
	opens := func(each float64) func(float64) float64 {
		return func(m float64) float64 {
			if m >= 30 && m < 150 && math.Mod(m, each) < 5 {
				return 3.5
			}
			return 1
		}
	}
	r := rules
	r.WarmC = 9
	if got := Watch(every(240, opens(30)), minute(240), r); got != nil {
		t.Errorf("twice an hour is work: %+v", got)
	}
	got := Watch(every(240, opens(10)), minute(240), r)
	if len(got) != 1 || got[0].Kind != Doors || got[0].Openings != 12 || got[0].Worst != 3.5 || got[0].Lasts() {
		t.Errorf("six times an hour, for two hours: %+v", got)
	}
}

// Whatever comes in, in whatever pieces it is seen: episodes of a kind do not
// overlap, are raised after they began, and a longer look finds again what a
// shorter one found to be over.
func TestWatchOfAnything(t *testing.T) {
	rnd := rand.New(rand.NewPCG(5, 7))
	for range 300 {
		var readings []coldchain.Reading
		at, c := t0, 1.0
		for range 200 {
			at = at.Add(time.Duration(1+rnd.IntN(12)) * time.Minute)
			c += rnd.NormFloat64()
			c = math.Max(-6, math.Min(c, 9))
			readings = append(readings, coldchain.Reading{At: at, Celsius: c})
		}
		whole := Watch(readings, at, rules)
		for i, e := range whole {
			if e.Raised.Before(e.Since) || !e.Lasts() && e.Ended.Before(e.Raised) {
				t.Fatalf("out of order: %+v", e)
			}
			if i > 0 && whole[i-1].Kind == e.Kind && (whole[i-1].Lasts() || e.Since.Before(whole[i-1].Ended)) {
				t.Fatalf("%+v overlaps %+v", e, whole[i-1])
			}
		}
		half := Watch(readings[:120], readings[119].At, rules)
		for _, e := range half {
			if e.Lasts() || e.Kind == Doors {
				continue
			}
			found := false
			for _, w := range whole {
				found = found || reflect.DeepEqual(w, e)
			}
			if !found {
				t.Fatalf("%+v was found at half time, and not later", e)
			}
		}
	}
}

func TestQuietHours(t *testing.T) {
	for _, c := range []struct {
		from, to, clock string
		want            bool
	}{{"22:00", "06:00", "23:10", true}, {"22:00", "06:00", "05:59", true}, {"22:00", "06:00", "06:00", false},
		{"22:00", "06:00", "21:59", false},
		{"13:00", "15:00", "14:00", true}, {"13:00", "15:00", "15:00", false}, {"00:00", "00:00", "12:00", false}} {
		if got := Quiet(c.from, c.to, c.clock); got != c.want {
			t.Errorf("%s to %s at %s: %v", c.from, c.to, c.clock, got)
		}
	}
}

// Two probes in one place: 2 K apart is what places do, more for half an hour is a wrong instrument.
func TestTwoProbesApart(t *testing.T) {
	flat := func(c float64) func(float64) float64 { return func(float64) float64 { return c } }
	for _, c := range []struct {
		name  string
		a, b  func(float64) float64
		until float64
		want  []Episode
	}{
		{"alike", flat(1), flat(2), 240, nil},
		{"exactly 2 K", flat(1), flat(3), 240, nil},
		{"one of them sits at the door", flat(1), peak(60, 80, 9), 240, nil},
		{"from 70 to 170", flat(1), peak(60, 180, 7.01), 240,
			[]Episode{{Kind: Disagree, Since: minute(80), Raised: minute(110), Ended: minute(165), Worst: 6.01}}},
		{"until now", flat(1), flat(15), 240, []Episode{{Kind: Disagree, Since: minute(3), Raised: minute(33), Worst: 14}}},
		{"one fell silent", flat(1), flat(15), 1000, []Episode{{Kind: Disagree, Since: minute(3), Raised: minute(33), Ended: minute(243), Worst: 14}}},
	} {
		late := every(240, c.b) // its readings lie between those of the other
		for i := range late {
			late[i].At = late[i].At.Add(3 * time.Minute)
		}
		gap := 20 * time.Minute
		got := Apart(Watched{every(240, c.a), gap}, Watched{late, gap}, minute(c.until))
		if len(got) != len(c.want) {
			t.Errorf("%s: %+v", c.name, got)
			continue
		}
		for i, w := range c.want {
			g := got[i]
			near := func(a, b time.Time) bool { return a.Sub(b).Abs() <= 10*time.Minute && a.IsZero() == b.IsZero() }
			if g.Kind != w.Kind || !near(g.Since, w.Since) || !near(g.Raised, w.Raised) || !near(g.Ended, w.Ended) || math.Abs(g.Worst-w.Worst) > 0.3 {
				t.Errorf("%s: %+v, want %+v", c.name, g, w)
			}
		}
	}
}
