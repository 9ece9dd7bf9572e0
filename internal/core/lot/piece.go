package lot

import "leancatch/internal/core/piece"

// Piece is one fish, or fillet, of the lot: as thick as it was measured at its receipt, else as thick
// as its species, form and weight let one expect. What leaves the lot makes it no thinner: it cools
// no sooner.
func (s *State) Piece() piece.Piece {
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

// ThicknessMeasured reports whether somebody measured how thick the fish is in the form that it has now.
func (s *State) ThicknessMeasured() bool { return s.Received.MM != nil && s.Form == s.Received.Form }
