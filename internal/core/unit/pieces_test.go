package unit

import "testing"

func TestParsePieces(t *testing.T) {
	for text, want := range map[string]int{"24": 24, " 7 ": 7, "30/kg": 60, "30 per kg": 60, "31/40 per lb": 157, "16-20 lb": 79, "5 a kilo": 10} {
		if got, err := ParsePieces(text, 2); err != nil || got != want {
			t.Errorf("%q of 2 kg: %d, %v, want %d", text, got, err, want)
		}
	}
	for _, text := range []string{"", "1.5", "many", "31/40", "40/31 lb", "per lb", "0/kg"} {
		if n, err := ParsePieces(text, 2); err == nil {
			t.Errorf("%q is %d pieces", text, n)
		}
	}
	if _, err := ParsePieces("30/kg", 0); err == nil {
		t.Error("pieces of no weight")
	}
}
