package lot

import "fmt"

// codeWords are short, unlike in sound and easily spelt over a noisy dock.
var codeWords = [...]string{
	"AMBER", "ANCHOR", "BARGE", "BASIN", "BEACH", "BELL", "BOLT", "BRIG", "BUOY", "CABIN", "CANVAS", "CEDAR", "CLIFF",
	"COMPASS", "CORK", "COVE",
	"CREEK", "DAWN", "DELTA", "DUNE", "EBB", "EMBER", "FERRY", "FJORD", "FLINT", "FOAM", "FROST", "GALE", "GARNET",
	"GRAVEL", "HARBOUR", "HATCH",
	"HELM", "INLET", "IRON", "ISLAND", "JETTY", "KEEL", "KELP", "LAGOON", "LANTERN", "MAST", "MIST", "NORTH", "OAK",
	"OCEAN", "OPAL", "PEBBLE",
	"PILOT", "QUAY", "RIVER", "ROPE", "RUDDER", "SAND", "SHINGLE", "SILVER", "SLATE", "STORM", "TIDE", "TIMBER",
	"TUNNEL", "VALLEY", "WINTER", "YARROW",
}

// Code is the name by which people call the n-th lot of a site (n ≥ 1): a word
// and a number, such as COVE-482. Neighbouring lots get different words, and no
// two lots of a site the same code.
func Code(n int) string {
	word, round := (n*37)%len(codeWords), n/len(codeWords)
	digits := 100 + (round*389+word*157)%900 + round/900*900
	return fmt.Sprintf("%s-%d", codeWords[word], digits)
}
