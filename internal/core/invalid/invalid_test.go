package invalid

import (
	"strings"
	"testing"
)

// A limit of characters counts what people see, not bytes.
func TestTooLong(t *testing.T) {
	for text, want := range map[string]bool{
		"":                        false,
		strings.Repeat("å", 80):   false,
		strings.Repeat("魚", 80):   false,
		strings.Repeat("å", 81):   true,
		strings.Repeat("x", 80):   false,
		strings.Repeat("x", 81):   true,
		strings.Repeat("−1 ", 27): true,
	} {
		if got := TooLong(text, 80); got != want {
			t.Errorf("TooLong of %d bytes = %v", len(text), got)
		}
	}
}
