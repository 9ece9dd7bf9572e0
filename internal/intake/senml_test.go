package intake

import (
	"errors"
	"math"
	"strings"
	"testing"
	"time"
)

var now = time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)

// The examples of RFC 8428, sections 5.1.1 to 5.1.6 of the text.
func TestSenMLExamplesOfRFC8428(t *testing.T) {
	type want struct {
		name, unit string
		value      float64
		unix       float64 // NaN: relative to now, by rel
		rel        float64
	}
	abs := func(name, unit string, v, unix float64) want { return want{name, unit, v, unix, 0} }
	rel := func(name, unit string, v, r float64) want { return want{name, unit, v, math.NaN(), r} }
	dev := "urn:dev:ow:10e2073a0108006:"
	cases := []struct {
		name, pack string
		want       []want
	}{
		{"5.1.1 single datapoint", `[{"n":"urn:dev:ow:10e2073a01080063","u":"Cel","v":23.1}]`,
			[]want{rel("urn:dev:ow:10e2073a01080063", "Cel", 23.1, 0)}},
		{"5.1.2 multiple datapoints",
			`[{"bn":"urn:dev:ow:10e2073a01080063:","n":"voltage","u":"V","v":120.1},{"n":"current","u":"A","v":1.2}]`,
			[]want{rel("urn:dev:ow:10e2073a01080063:voltage", "V", 120.1, 0),
				rel("urn:dev:ow:10e2073a01080063:current", "A", 1.2, 0)}},
		{"5.1.2 with time and version",
			`[{"bn":"urn:dev:ow:10e2073a0108006:","bt":1.276020076001e+09,"bu":"A","bver":5,"n":"voltage","u":"V","v":120.1},
			{"n":"current","t":-5,"v":1.2},{"n":"current","t":-4,"v":1.3},{"n":"current","t":0,"v":1.7}]`,
			[]want{abs(dev+"voltage", "V", 120.1, 1276020076.001), abs(dev+"current", "A", 1.2, 1276020071.001),
				abs(dev+"current", "A", 1.3, 1276020072.001), abs(dev+"current", "A", 1.7, 1276020076.001)}},
		{"5.1.3 multiple measurements", `[{"bn":"urn:dev:ow:10e2073a01080063","bt":1.320067464e+09,"bu":"%RH","v":20},
			{"u":"lon","v":24.30621},{"u":"lat","v":60.07965},{"t":60,"v":20.3},{"u":"lon","t":60,"v":24.30622}]`,
			[]want{abs("urn:dev:ow:10e2073a01080063", "%RH", 20, 1320067464),
				abs("urn:dev:ow:10e2073a01080063", "lon", 24.30621, 1320067464),
				abs("urn:dev:ow:10e2073a01080063", "lat", 60.07965, 1320067464),
				abs("urn:dev:ow:10e2073a01080063", "%RH", 20.3, 1320067524),
				abs("urn:dev:ow:10e2073a01080063", "lon", 24.30622, 1320067524)}},
		{"5.1.5 multiple data types",
			`[{"bn":"urn:dev:ow:10e2073a01080063:","n":"temp","u":"Cel","v":23.1},{"n":"label","vs":"Machine Room"},` +
				`{"n":"open","vb":false},{"n":"nfc-reader","vd":"aGkgCg"}]`,
			[]want{rel("urn:dev:ow:10e2073a01080063:temp", "Cel", 23.1, 0)}},
		{"5.1.6 collection of resources",
			`[{"bn":"2001:db8::2/","bt":1.320078429e+09,"n":"temperature","u":"Cel","v":25.2},{"n":"humidity",` +
				`"u":"%RH","v":30},{"bn":"2001:db8::1/","n":"temperature","u":"Cel","v":12.3}]`,
			[]want{abs("2001:db8::2/temperature", "Cel", 25.2, 1320078429),
				abs("2001:db8::2/humidity", "%RH", 30, 1320078429),
				abs("2001:db8::1/temperature", "Cel", 12.3, 1320078429)}},
		{"base value (4.1)", `[{"bn":"p","bu":"Cel","bv":20},{"v":1.5},{"v":-0.5}]`,
			[]want{rel("p", "Cel", 21.5, 0), rel("p", "Cel", 19.5, 0)}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got, err := ParseSenML(strings.NewReader(c.pack), now)
			if err != nil || len(got) != len(c.want) {
				t.Fatalf("got %v, %v; want %d records", got, err, len(c.want))
			}
			for i, w := range c.want {
				at := now.Add(time.Duration(w.rel * float64(time.Second)))
				if !math.IsNaN(w.unix) {
					at = time.UnixMicro(int64(math.Round(w.unix * 1e6)))
				}
				g := got[i]
				if g.Name != w.name || g.Unit != w.unit || math.Abs(g.Value-w.value) > 1e-9 ||
					g.At.Sub(at).Abs() > time.Microsecond {
					t.Errorf("record %d: %+v, want %+v at %v", i, g, w, at)
				}
			}
		})
	}
}

func TestSenMLThatMustBeRefused(t *testing.T) {
	for name, pack := range map[string]string{
		"not JSON":                 `temperature;23.1`,
		"not an array":             `{"n":"p","v":1}`,
		"no name":                  `[{"v":1}]`,
		"a name that is not one":   `[{"n":"-p q","v":1}]`,
		"no value":                 `[{"n":"p","u":"Cel"}]`,
		"a newer version":          `[{"bver":11,"n":"p","v":1}]`,
		"a label to be understood": `[{"n":"p","v":1,"danger_":true}]`,
		"a value that is a text":   `[{"n":"p","v":"1"}]`,
	} {
		if _, err := ParseSenML(strings.NewReader(pack), now); !errors.Is(err, ErrSenML) {
			t.Errorf("%s: error %v, want ErrSenML", name, err)
		}
	}
}

func TestCelsius(t *testing.T) {
	if c, err := (Measurement{Unit: "K", Value: 273.15}).Celsius(); err != nil || c != 0 {
		t.Errorf("273.15 K = %v, %v", c, err)
	}
	for _, unit := range []string{"", "%RH", "V"} {
		if _, err := (Measurement{Unit: unit}).Celsius(); err == nil {
			t.Errorf("unit %q passed as a temperature", unit)
		}
	}
}

func FuzzParseSenML(f *testing.F) {
	f.Add(`[{"bn":"p","bt":1.3e9,"v":1},{"t":60,"v":20.3}]`)
	f.Add(`[{"n":"p","vs":"x"}]`)
	f.Fuzz(func(t *testing.T, pack string) {
		records, err := ParseSenML(strings.NewReader(pack), now)
		if err == nil {
			for _, r := range records {
				if r.Name == "" {
					t.Error("a record without a name")
				}
			}
		}
	})
}
