package freshness

import (
	"math"

	"leancatch/internal/core/species"
)

// RawPart is the first part of a shelf life, in which fish may be served raw or begin to age
// (house, common practice).
const RawPart = 1.0 / 3

// mostAdded is the part of the lower end of a shelf life that an inspection adds at most to
// what the papers leave (house).
const mostAdded = 0.5

// Left is the life left, fresh days, of fish that keeps between shelf.Lo and shelf.Hi days in
// ice: by its papers alone
//
//	lo − age,
//
// by an inspection alone lo · (1 − read age / mid), since the middle of the range reads an age
// and its lower end predicts. Where both are known and agree it is the precision-weighted mean
// of the two lives, where they disagree the shorter less one of its own sd. An inspection adds
// at most half of lo to what the papers leave, and never leaves more than the upper end of the
// range does. It is below 0 for fish past its life, and NaN where nothing is known.
func (e Evidence) Left(shelf species.Range) Age {
	var papers, look Age
	if d := e.DeclaredAge; d != nil {
		papers = Age{Days: shelf.Lo - d.Days, SD: d.SD}
	}
	if r := e.ReadAge; r != nil {
		scale := shelf.Lo / shelf.Mid()
		look = Age{Days: shelf.Lo - scale*r.Days, SD: scale * r.SD, AtLeast: r.AtLeast}
	}
	switch {
	case e.DeclaredAge == nil && e.ReadAge == nil:
		return Age{Days: math.NaN(), SD: math.NaN()}
	case e.ReadAge == nil:
		return papers
	case e.DeclaredAge == nil:
		return look
	}
	most := math.Min(papers.Days+mostAdded*shelf.Lo, shelf.Hi-e.DeclaredAge.Days)
	if math.Abs(Gap(*e.ReadAge, *e.DeclaredAge)) > GapLimit {
		shorter := papers
		if look.Days < papers.Days {
			shorter = look
		}
		return Age{Days: math.Min(shorter.Days-shorter.SD, most), SD: shorter.SD, AtLeast: look.AtLeast}
	}
	wp, wl := 1/(papers.SD*papers.SD), 1/(look.SD*look.SD)
	left := Age{Days: (papers.Days*wp + look.Days*wl) / (wp + wl), SD: 1 / math.Sqrt(wp+wl), AtLeast: look.AtLeast}
	if look.AtLeast { // it may be older yet
		left.Days = math.Min(left.Days, look.Days)
	}
	left.Days = math.Min(left.Days, most)
	return left
}

// NotYoung says why fish is not surely young enough to be served raw or to begin to age, "" where
// it is: the age used and one of its sd, and what an inspection alone reads, have to be within the
// first third of the middle of its shelf life, the age used within half of the lower end, and
// papers and fish have to agree, or a manager has to say why they do not.
func (e Evidence) NotYoung(shelf species.Range) string {
	used, basis := e.Used()
	third := RawPart * shelf.Mid()
	switch {
	case basis == BasisNone:
		return "its age is not known"
	case e.Disagree():
		return "its papers and the fish disagree about its age, until a manager inspects it and writes why"
	case used.Days+used.SD > third:
		return "not surely within the first third of its life"
	case e.ReadAge != nil && e.ReadAge.Days > third:
		return "the fish reads older than the first third of its life"
	case used.Days > shelf.Lo/2:
		return "past half of the life that is sure"
	}
	return ""
}

// Disagree reports whether papers and fish tell two ages, and nobody says why.
func (e Evidence) Disagree() bool {
	_, basis := e.Used()
	return basis == BasisOlder && !e.Explained
}
