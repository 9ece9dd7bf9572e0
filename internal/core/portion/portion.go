// Package portion marks where to cut a tapered fish or fillet so that each piece weighs what is asked.
//
//	p := portion.ProfileOf(cod, "fillet_skin_on")
//	pieces, rest := portion.OfWeight(p, portion.Span{To: 420}, 680, 170)
package portion

import (
	"errors"
	"fmt"
	"math"

	"leancatch/internal/core/species"
)

// Station is the girth at a place along the fish: X from 0 at the head end to 1 at the tail end, Girth in
// any unit, the same for all of a profile.
type Station struct{ X, Girth float64 }

// Profile is how thick a fish or a fillet is along its length: stations in order of X, from 0 to 1,
// between which the girth runs straight. Its cross-section goes with the square of the girth.
type Profile []Station

// Span is a stretch along the fish, mm from the head end.
type Span struct{ From, To float64 }

// Piece is a stretch that is cut off, and what it weighs.
type Piece struct {
	Span
	Grams float64
}

// Errors of a cut.
var (
	ErrProfile = errors.New("a profile needs girths at 0 and at 1, in order, not below 0")
	ErrPieces  = errors.New("give a length, a weight and at least one piece that it holds")
)

// Check returns ErrProfile for a profile that is none.
func (p Profile) Check() error {
	if len(p) < 2 || p[0].X != 0 || p[len(p)-1].X != 1 {
		return ErrProfile
	}
	thick := false
	for i, s := range p {
		if !(s.Girth >= 0) || math.IsInf(s.Girth, 0) || i > 0 && !(s.X > p[i-1].X) {
			return ErrProfile
		}
		thick = thick || s.Girth > 0
	}
	if !thick {
		return ErrProfile
	}
	return nil
}

// bulk is ∫ g² dx from 0 to x: of each straight stretch from a to b, (a² + a·b + b²)/3 of its length, the
// frustum of a cone.
func (p Profile) bulk(x float64) float64 {
	sum := 0.0
	for i := 1; i < len(p); i++ {
		a, b := p[i-1], p[i]
		if x <= a.X {
			break
		}
		end := math.Min(x, b.X)
		g := a.Girth + (b.Girth-a.Girth)*(end-a.X)/(b.X-a.X)
		sum += (end - a.X) * (a.Girth*a.Girth + a.Girth*g + g*g) / 3
	}
	return sum
}

// at is the place up to which a share of the bulk lies, by halving: bulk rises all along.
func (p Profile) at(bulk float64) float64 {
	lo, hi := 0.0, 1.0
	for range 60 {
		if mid := (lo + hi) / 2; p.bulk(mid) < bulk {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (lo + hi) / 2
}

// cut is a fish or a fillet, or what is left of one, that is cut by weight.
type cut struct {
	profile  Profile
	lengthMM float64 // of all of it
	from, to float64 // shares of the length
	grams    float64 // from there on
}

func newCut(p Profile, lengthMM float64, left Span, grams float64) (cut, error) {
	if err := p.Check(); err != nil {
		return cut{}, err
	}
	if !(lengthMM > 0) || !(grams > 0) || !(left.From >= 0 && left.To > left.From && left.To <= lengthMM*(1+1e-9)) {
		return cut{}, ErrPieces
	}
	return cut{p, lengthMM, left.From / lengthMM, math.Min(1, left.To/lengthMM), grams}, nil
}

// pieces cuts at the weights, g from the head end of what is left.
func (c cut) pieces(weights []float64) []Piece {
	begin, end := c.profile.bulk(c.from), c.profile.bulk(c.to)
	list := make([]Piece, len(weights))
	at, done := c.from, 0.0
	for i, w := range weights {
		done += w
		next := c.to
		if done < c.grams*(1-1e-12) {
			next = c.profile.at(begin + (end-begin)*done/c.grams)
		}
		list[i] = Piece{Span{at * c.lengthMM, next * c.lengthMM}, w}
		at = next
	}
	return list
}

// Equal cuts what is left of a fish or fillet of a length, mm, into n pieces of the same weight; grams is
// what is left of it weighs. Once the first piece has been weighed, cut the rest anew by what is left
// then: the profile is a house guess, the scale is right. Errors are ErrProfile and ErrPieces.
func Equal(p Profile, lengthMM float64, left Span, grams float64, n int) ([]Piece, error) {
	c, err := newCut(p, lengthMM, left, grams)
	if err != nil || n < 1 || n > 1000 {
		return nil, wrong(err)
	}
	weights := make([]float64, n)
	for i := range weights {
		weights[i] = grams / float64(n)
	}
	return c.pieces(weights), nil
}

// OfWeight cuts as many pieces of a weight, g, as it holds, from the head end; what is left at the tail is
// lighter. Errors are ErrProfile and ErrPieces.
func OfWeight(p Profile, lengthMM float64, left Span, grams, each float64) (pieces []Piece, restG float64, err error) {
	c, err := newCut(p, lengthMM, left, grams)
	if err != nil || !(each > 0) || grams/each > 1000 {
		return nil, 0, wrong(err)
	}
	n := int(grams/each + 1e-9)
	if n == 0 {
		return nil, grams, nil
	}
	weights := make([]float64, n)
	for i := range weights {
		weights[i] = each
	}
	return c.pieces(weights), math.Max(0, grams-float64(n)*each), nil
}

// wrong is an error of a cut, ErrPieces where none is known yet.
func wrong(err error) error {
	if err == nil {
		return ErrPieces
	}
	return err
}

// The girths of a build along the length, 0 at the cut behind the head (house). Fillets lie flatter and
// thin out towards the tail and the nape.
var (
	roundFish   = Profile{{0, 0.92}, {0.15, 1}, {0.35, 0.98}, {0.6, 0.72}, {0.8, 0.45}, {1, 0.26}}
	flatFish    = Profile{{0, 0.8}, {0.25, 1}, {0.5, 0.96}, {0.75, 0.7}, {1, 0.3}}
	largeFish   = Profile{{0, 0.9}, {0.2, 1}, {0.45, 0.92}, {0.7, 0.6}, {0.9, 0.28}, {1, 0.15}}
	tailFish    = Profile{{0, 1}, {0.25, 0.9}, {0.5, 0.72}, {0.75, 0.5}, {1, 0.28}}
	loin        = Profile{{0, 1}, {1, 1}}
	roundFillet = Profile{{0, 0.8}, {0.15, 1}, {0.4, 0.97}, {0.65, 0.78}, {0.85, 0.55}, {1, 0.3}}
)

// ProfileOf is the girth of a species in a form of delivery, from the cut behind the head on.
func ProfileOf(s species.Species, form string) Profile {
	switch {
	case form == "loin":
		return loin
	case form == "fillet_skin_on" || form == "fillet_skinless":
		return roundFillet
	case s.Body == species.Flat || s.Body == species.Ray:
		return flatFish
	case s.Body == species.LargePelagic:
		return largeFish
	case s.Body == species.Tail || form == "tail":
		return tailFish
	}
	return roundFish
}

// Slices is how many slices of a thickness, mm, across the fibre a block of a length gives, and how long
// each is, mm, where the knife is held at an angle to the board, degrees: height / sin angle.
func Slices(lengthMM, heightMM, thicknessMM, angle float64) (n int, sliceMM float64, err error) {
	if !(lengthMM > 0 && heightMM > 0 && thicknessMM > 0 && angle > 0 && angle <= 90) {
		return 0, 0, fmt.Errorf("slices: %w", ErrPieces)
	}
	rad := angle * math.Pi / 180
	step := thicknessMM / math.Sin(rad) // along the block
	return int(lengthMM / step), heightMM / math.Sin(rad), nil
}
