package label_test

import (
	"bytes"
	"image"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"image/png"

	"leancatch/internal/device"
	"leancatch/internal/ipp"
	"leancatch/internal/label"
)

func bream() label.Label {
	return label.Label{Name: "Sea bream, fillet, skin on", Code: "BREAM-823", Uses: []string{"RAW to Sun 07:10", "COOK to Tue 12:00"},
		Facts:    []string{"caught Thu 26 Nov, came Fri 27 Nov, cut Sat 28 Nov", "12 × fillet, skin on, 1.62 kg"},
		Warnings: []string{"PREVIOUSLY FROZEN", "Contains FISH, MILK"}, Foot: "Harbour",
		URL: "https://fish.example/k/harbour/lots/01a229da-679b-7c71-89e7-cfe72f24c64d"}
}

// ink counts the black dots of a part of a picture.
func ink(img *image.Gray, r image.Rectangle) int {
	n := 0
	for y := r.Min.Y; y < r.Max.Y; y++ {
		for x := r.Min.X; x < r.Max.X; x++ {
			if img.GrayAt(x, y).Y == 0 {
				n++
			}
		}
	}
	return n
}

// A label of each size is as large as its paper, has nothing but black and white on it, and leaves its edges free, also
// where much stands on it.
func TestLabelsStayOnTheirPaper(t *testing.T) {
	long := bream()
	long.Name = "Blackbelly rosefish of the outer banks, headed and gutted, butterflied"
	long.Warnings = append(long.Warnings, "Oily wax: warn the guest", "Mercury: not for everyone", "Keep at 3.3 °C or colder")
	for _, m := range label.Medias() {
		for _, l := range []label.Label{bream(), long, {Name: "Cod", Code: "C-1"}} {
			img := label.Image(l, m, 203)
			w, h := img.Bounds().Dx(), img.Bounds().Dy()
			if got := float64(w) / 203 * 25.4; got < m.W-0.1 || got > m.W+0.1 {
				t.Errorf("%s is %.1f mm wide", m.ID, got)
			}
			for _, v := range img.Pix {
				if v != 0 && v != 255 {
					t.Fatalf("%s has grey", m.ID)
				}
			}
			edge := ink(img, image.Rect(0, 0, w, 4)) + ink(img, image.Rect(0, h-4, w, h)) + ink(img, image.Rect(0, 0, 4, h)) +
				ink(img, image.Rect(w-4, 0, w, h))
			if edge > 0 || ink(img, img.Bounds()) < 500 {
				t.Errorf("%s, %s: %d dots on its edge of %d in all", m.ID, l.Name, edge, ink(img, img.Bounds()))
			}
		}
	}
}

// What must not be used stands white on black.
func TestAStopIsSeen(t *testing.T) {
	m, _ := label.GetMedia("roll-62x40")
	l := bream()
	l.Uses = []string{"HOLD: do not use"}
	plain := ink(label.Image(l, m, 203), image.Rect(0, 0, 496, 320))
	l.Stop = true
	if stop := ink(label.Image(l, m, 203), image.Rect(0, 0, 496, 320)); stop < plain+5000 {
		t.Errorf("%d dots, and %d where it stops", plain, stop)
	}
}

// A sheet that was begun goes on where it was left; 22 labels of 21 a page are two pages.
func TestSheets(t *testing.T) {
	m, _ := label.GetMedia("a4-21")
	many := make([]label.Label, 22)
	for i := range many {
		many[i] = bream()
	}
	pages := func(labels []label.Label, first int) int {
		t.Helper()
		data, err := label.PDF(labels, m, first)
		if err != nil || !bytes.HasPrefix(data, []byte("%PDF-")) {
			t.Fatalf("%d bytes, %v", len(data), err)
		}
		return bytes.Count(data, []byte("/Type /Page\n"))
	}
	if a, b, c := pages(many[:21], 0), pages(many, 0), pages(many[:2], 20); a != 1 || b != 2 || c != 2 {
		t.Errorf("%d, %d and %d pages", a, b, c)
	}
	roll, _ := label.GetMedia("roll-62x40")
	data, err := label.PDF(many[:3], roll, 5)
	if n := bytes.Count(data, []byte("/Type /Page\n")); err != nil || n != 3 {
		t.Errorf("a roll: %d pages, %v", n, err)
	}
}

// Labels go to a printer over IPP and come out dot by dot as they were drawn; one that is out of labels, or takes no
// raster, says so, and prints nothing.
func TestPrint(t *testing.T) {
	sim := &device.Printer{Dir: t.TempDir()}
	server := httptest.NewServer(sim)
	defer server.Close()
	printer, err := ipp.New("ipp" + strings.TrimPrefix(server.URL, "http") + "/ipp/print")
	if err != nil {
		t.Fatal(err)
	}
	m, _ := label.GetMedia("roll-62x40")
	other := bream()
	other.Code = "BREAM-824"
	labels := []label.Label{bream(), other}
	if err := label.Print(t.Context(), printer, m, labels, "Ansa"); err != nil {
		t.Fatal(err)
	}
	files, err := sim.Printed()
	if err != nil || len(files) != 2 {
		t.Fatalf("%v, %v", files, err)
	}
	for i, name := range files {
		file, err := os.Open(filepath.Clean(name))
		if err != nil {
			t.Fatal(err)
		}
		got, err := png.Decode(file)
		file.Close()
		if err != nil {
			t.Fatal(err)
		}
		if want := label.Image(labels[i], m, 203); got.Bounds() != want.Bounds() || !bytes.Equal(got.(*image.Gray).Pix, want.Pix) {
			t.Errorf("%s is not as it was drawn", name)
		}
	}
	sheet, _ := label.GetMedia("a4-21")
	if err := label.Print(t.Context(), printer, sheet, labels, "Ansa"); err == nil || !strings.Contains(err.Error(), "no PDF") {
		t.Errorf("a sheet on a printer of labels: %v", err)
	}
	sim.Empty = true
	if err := label.Print(t.Context(), printer, m, labels, "Ansa"); err == nil || !strings.Contains(err.Error(), "out of labels") {
		t.Errorf("without labels: %v", err)
	}
	server.Close()
	if err := label.Print(t.Context(), printer, m, labels, "Ansa"); err == nil || !strings.Contains(err.Error(), "does not answer") {
		t.Errorf("switched off: %v", err)
	}
	if files, _ := sim.Printed(); len(files) != 2 {
		t.Errorf("%d labels were printed in the end", len(files))
	}
}
