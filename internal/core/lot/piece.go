package lot

import (
	"time"

	"leancatch/internal/core/heat"
	"leancatch/internal/core/piece"
)

// inheritedPiece is what a piece of the lot was, until a knife made it what it is.
type inheritedPiece struct {
	Until       time.Time  `json:"until,omitzero"`
	Shape       heat.Shape `json:"shape"`
	ThicknessMM float64    `json:"thickness_mm"`
}

func (p inheritedPiece) piece() piece.Piece {
	return piece.Piece{Shape: p.Shape, ThicknessMM: p.ThicknessMM}
}

// Piece is one fish, or fillet, of the lot: as thick as it was measured at its receipt, else as thick
// as its species, form and weight let one expect, and where it was cut here as what it was cut of. What
// leaves the lot makes it no thinner: it cools no sooner.
func (s *State) Piece() piece.Piece {
	if s.piece != nil {
		return s.piece.piece()
	}
	kg := s.pieceKg
	if kg == 0 {
		kg = s.WeightKg / float64(max(s.Count, 1))
	}
	p := piece.Of(s.Species(), s.Form, kg)
	if s.ThicknessMeasured() {
		p.ThicknessMM = *s.Received.MM
	}
	return p
}

// PieceAt is what a piece of the lot was at a time: before a cut the fish that it was cut of.
func (s *State) PieceAt(at time.Time) piece.Piece {
	for _, p := range s.piecesBefore {
		if at.Before(p.Until) {
			return p.piece()
		}
	}
	return s.Piece()
}

// CutTimes are when a knife changed what a piece of the lot is, ascending.
func (s *State) CutTimes() []time.Time {
	var list []time.Time
	for _, p := range s.piecesBefore {
		list = append(list, p.Until)
	}
	return list
}

// keepPieceKg notes what a piece weighs, before some of the lot leaves.
func (s *State) keepPieceKg() {
	if s.pieceKg == 0 {
		s.pieceKg = s.WeightKg / float64(max(s.Count, 1))
	}
}

// ThicknessMeasured reports whether somebody measured how thick the fish is in the form that it has now.
func (s *State) ThicknessMeasured() bool { return s.Received.MM != nil && s.Form == s.Received.Form }
