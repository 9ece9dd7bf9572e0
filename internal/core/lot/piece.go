package lot

import "leancatch/internal/core/piece"

// Piece is one fish, or fillet, of the lot.
func (s *State) Piece() piece.Piece {
	return piece.Of(s.Species(), s.Form, s.WeightKg/float64(max(s.Count, 1)))
}
