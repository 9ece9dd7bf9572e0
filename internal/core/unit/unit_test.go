package unit

import (
	"errors"
	"math"
	"testing"
)

func TestParseCelsius(t *testing.T) {
	cases := []struct {
		name, in string
		scale    TempScale
		want     float64
		err      error
	}{
		{"point", "1.5", CelsiusScale, 1.5, nil},
		{"comma", "1,5", CelsiusScale, 1.5, nil},
		{"true minus", "−0.8", CelsiusScale, -0.8, nil},
		{"freezing point of water", "32", FahrenheitScale, 0, nil},
		{"typed unit wins", "34 F", CelsiusScale, 1.111, nil},
		{"degree sign", "1,2°C", FahrenheitScale, 1.2, nil},
		{"unit without a space", "34F", CelsiusScale, 1.111, nil},
		{"another unit", "3 kg", CelsiusScale, 0, ErrNotNumber},
		{"lower bound", "-60", CelsiusScale, -60, nil},
		{"below it", "-60.1", CelsiusScale, 0, ErrTempRange},
		{"100 °F is 37.8 °C", "100", FahrenheitScale, 37.778, nil},
		{"61 °C", "61", CelsiusScale, 0, ErrTempRange},
		{"thousands", "1,234.5", CelsiusScale, 0, ErrNotNumber},
		{"not a number", "NaN", CelsiusScale, 0, ErrNotNumber},
		{"infinite", "Inf", CelsiusScale, 0, ErrNotNumber},
		{"hexadecimal", "0x10", CelsiusScale, 0, ErrNotNumber},
		{"empty", "", CelsiusScale, 0, ErrNotNumber},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got, err := ParseCelsius(c.in, c.scale)
			if !errors.Is(err, c.err) {
				t.Fatalf("ParseCelsius(%q) error %v, want %v", c.in, err, c.err)
			}
			if err == nil && math.Abs(got-c.want) > 0.001 {
				t.Errorf("ParseCelsius(%q) = %v, want %v", c.in, got, c.want)
			}
		})
	}
}

func TestParseKilograms(t *testing.T) {
	if kg, err := ParseKilograms("10", PoundScale); err != nil || math.Abs(kg-4.5359237) > 1e-12 {
		t.Errorf("10 lb = %v, %v; want 4.5359237 kg", kg, err)
	}
	for _, in := range []string{"0", "-3", "20001", "1e9"} {
		if _, err := ParseKilograms(in, KilogramScale); !errors.Is(err, ErrMassRange) {
			t.Errorf("%s kg: error %v, want ErrMassRange", in, err)
		}
	}
}

func TestParseKilogramsWithAUnit(t *testing.T) {
	for in, want := range map[string]float64{"24.5 kg": 24.5, "24,5kg": 24.5, "800 g": 0.8, "10 lb": 4.5359237,
		"2 lbs": 0.90718474, "3": 3} {
		if kg, err := ParseKilograms(in, KilogramScale); err != nil || math.Abs(kg-want) > 1e-12 {
			t.Errorf("%s = %v kg, %v; want %v", in, kg, err, want)
		}
	}
	for _, in := range []string{"3 °C", "kg", "", "3 kilos"} {
		if _, err := ParseKilograms(in, KilogramScale); !errors.Is(err, ErrNotNumber) {
			t.Errorf("%q: error %v, want ErrNotNumber", in, err)
		}
	}
}

// What the product writes can be typed back.
func TestWhatIsWrittenIsRead(t *testing.T) {
	for _, v := range []float64{-30, -0.04, 0, 1.5, 24.5, 180} {
		if got, err := ParseNumber(Number(v, 2)); err != nil || math.Abs(got-v) > 0.005 {
			t.Errorf("%s is read as %v, %v", Number(v, 2), got, err)
		}
		if got, err := ParseNumber(Signed(v, 2)); err != nil || math.Abs(got-v) > 0.005 {
			t.Errorf("%s is read as %v, %v", Signed(v, 2), got, err)
		}
	}
	for _, scale := range []TempScale{CelsiusScale, FahrenheitScale} {
		for _, c := range []float64{-30, -1.5, 0, 4.4} {
			if got, err := ParseCelsius(FormatTemp(c, scale), CelsiusScale); err != nil || math.Abs(got-c) > 0.05 {
				t.Errorf("%s is read as %v °C, %v", FormatTemp(c, scale), got, err)
			}
		}
	}
	for _, scale := range []MassScale{KilogramScale, PoundScale} {
		for _, kg := range []float64{0.8, 9.99, 24.5} {
			if got, err := ParseKilograms(FormatMass(kg, scale), KilogramScale); err != nil || math.Abs(got-kg) > 0.03 {
				t.Errorf("%s is read as %v kg, %v", FormatMass(kg, scale), got, err)
			}
		}
	}
}

func TestFormat(t *testing.T) {
	for got, want := range map[string]string{
		FormatTemp(-0.04, CelsiusScale):   "0.0 °C",
		FormatTemp(-18, CelsiusScale):     "−18.0 °C",
		FormatTemp(0, FahrenheitScale):    "32.0 °F",
		FormatMass(45.359237, PoundScale): "100.0 lb",
		FormatMass(2.345, KilogramScale):  "2.35 kg",
	} {
		if got != want {
			t.Errorf("got %q, want %q", got, want)
		}
	}
}

// The core of cooked fish may be hotter than any cold place, and no hotter than
// steam under a lid.
func TestParseCookedCelsius(t *testing.T) {
	for text, c := range map[string]struct {
		want float64
		err  error
	}{"66": {66, nil}, "150,8 F": {66, nil}, "110": {110, nil}, "110.1": {0, ErrCookedRange},
		"-60.1": {0, ErrCookedRange}, "hot": {0, ErrNotNumber}} {
		got, err := ParseCookedCelsius(text, CelsiusScale)
		if !errors.Is(err, c.err) || err == nil && math.Abs(got-c.want) > 1e-9 {
			t.Errorf("%q: %v, %v", text, got, err)
		}
	}
	if _, err := ParseCelsius("66", CelsiusScale); !errors.Is(err, ErrTempRange) {
		t.Errorf("66 °C of a cold place: %v", err)
	}
}

func FuzzParseCelsius(f *testing.F) {
	for _, s := range []string{"1.5", "34 F", "−0,8°C", "1e400", "", "°", "C"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		if c, err := ParseCelsius(s, CelsiusScale); err == nil && CheckCelsius(c) != nil {
			t.Errorf("ParseCelsius(%q) = %v without an error", s, c)
		}
	})
}
