package assess

import (
	"slices"

	"leancatch/internal/core/freshness"
	"leancatch/internal/core/invalid"
	"leancatch/internal/core/lot"
	"leancatch/internal/core/safety"
)

// Seen is what an inspection saw: fish by a scheme, and where that is another the sample that was looked
// at quickly, of which they are.
type Seen struct {
	Scheme      freshness.Scheme
	Fish        []freshness.Fish
	QuickScheme freshness.Scheme
	Quick       []freshness.Fish
}

// Judge reads fish of a lot, count of them in all, and proposes a verdict by a profile. Beside a sample
// that was looked at quickly the first fish, taken blind, reads the age. Its errors are those of
// Scheme.Read.
func Judge(s *lot.State, profile safety.Profile, seen Seen, count int,
	declared *freshness.Age, clock *safety.Budget) (freshness.Reading, freshness.Verdict, error) {
	sp, scheme, fish, quick := s.Species(), seen.Scheme, seen.Fish, seen.Quick
	if w := s.Harvest.Washed; w != nil && w.Data.With == "acid" {
		fish, quick = freshness.WashedInAcid(fish), freshness.WashedInAcid(quick)
	}
	if !sp.Fish() {
		count = 1 // what is looked at as one
	}
	reading, err := scheme.Read(sp.ShelfLife, fish)
	if err != nil {
		return reading, freshness.Verdict{}, err
	}
	if len(quick) > 0 && len(fish) > 1 {
		blind, err := scheme.Read(sp.ShelfLife, fish[:1])
		if err != nil {
			return reading, freshness.Verdict{}, err
		}
		reading.Age = blind.Age
	}
	return reading, freshness.Judge(freshness.Facts{Scheme: scheme, Species: sp, Profile: profile, Frozen: s.Frozen(),
		CoreC: s.ReceiptCore(profile), Fish: fish, Quick: quick, QuickScheme: seen.QuickScheme, Count: count, Reading: reading, DeclaredAge: declared, Clock: clock, CoreUnasked: s.Received.Here}), nil
}

// ChooseScheme picks the scheme with an id or of a method among those that fit, "" for the first. Its
// errors are an invalid.Errors on lot and scheme.
func ChooseScheme(fitting []freshness.Scheme, name string) (freshness.Scheme, error) {
	if len(fitting) == 0 {
		return freshness.Scheme{}, invalid.Errors{{Field: "lot",
			Message: "no scheme fits this form of fish: hold it or refuse it by eye on its card"}}
	}
	if name == "" {
		return fitting[0], nil
	}
	i := slices.IndexFunc(fitting, func(s freshness.Scheme) bool { return s.ID == name || s.Method == name })
	if i < 0 {
		return freshness.Scheme{}, invalid.Errors{{Field: "scheme", Message: "is not made for this form of fish"}}
	}
	return fitting[i], nil
}
