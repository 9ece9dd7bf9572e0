package lot

import "leancatch/internal/core/piece"

// Piece is one fish, or fillet, of the lot.
func (s *State) Piece() piece.Piece {
	r := s.Received
	return piece.Of(s.Species(), r.Form, r.WeightKg/float64(max(r.Count, 1)))
}
