package ipp_test

import (
	"bytes"
	"image"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"leancatch/internal/ipp"
)

// Pages of all kinds of lines come back as they were written: runs, noise, and lines over and over.
func TestRaster(t *testing.T) {
	rng := rand.New(rand.NewPCG(1, 2))
	var pages []*image.Gray
	for range 20 {
		page := image.NewGray(image.Rect(0, 0, 1+rng.IntN(700), 1+rng.IntN(400)))
		white, again := rng.Float64(), rng.Float64()
		for y := range page.Bounds().Dy() {
			line := page.Pix[y*page.Stride : (y+1)*page.Stride]
			if y > 0 && rng.Float64() < again {
				copy(line, page.Pix[(y-1)*page.Stride:])
				continue
			}
			for x := range line {
				switch {
				case x > 0 && rng.Float64() < again:
					line[x] = line[x-1]
				case rng.Float64() < white:
					line[x] = 255
				}
			}
		}
		pages = append(pages, page)
	}
	for _, kind := range []string{ipp.Black1, ipp.SGray8} {
		data, err := ipp.Raster(pages, 203, kind)
		if err != nil {
			t.Fatal(err)
		}
		got, err := ipp.ReadRaster(bytes.NewReader(data))
		if err != nil || len(got) != len(pages) {
			t.Fatalf("%s: %d pages, %v", kind, len(got), err)
		}
		for i, page := range got {
			if page.Bounds() != pages[i].Bounds() || !bytes.Equal(page.Pix, pages[i].Pix) {
				t.Errorf("%s: page %d of %v is another", kind, i, page.Bounds())
			}
		}
		for _, n := range []int{3, 100, len(data) / 2, len(data) - 1} {
			if _, err := ipp.ReadRaster(bytes.NewReader(data[:n])); err == nil {
				t.Errorf("%s: the first %d of %d bytes are read as a document", kind, n, len(data))
			}
		}
	}
	if _, err := ipp.Raster(pages, 203, "srgb_8"); err == nil {
		t.Error("colours are written")
	}
}

func TestAddresses(t *testing.T) {
	for _, uri := range []string{"ipp://192.168.1.40/ipp/print", "ipps://labels.local:631/ipp/print"} {
		if _, err := ipp.New(uri); err != nil {
			t.Errorf("%s: %v", uri, err)
		}
	}
	for _, uri := range []string{"", "labels", "http://192.168.1.40/", "ipp://", "file:///etc/passwd", "ipp://%zz/"} {
		if _, err := ipp.New(uri); err == nil {
			t.Errorf("%q is taken as the address of a printer", uri)
		}
	}
}

// What answers, but is no printer, is said to be none, and leads nowhere.
func TestNoPrinter(t *testing.T) {
	for name, answer := range map[string]http.HandlerFunc{
		"a web page": func(w http.ResponseWriter, _ *http.Request) { w.Write([]byte("<html>")) },
		"a refusal":  func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(http.StatusForbidden) },
		"another way": func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, "http://127.0.0.1:1/", http.StatusFound)
		},
		"half of it": func(w http.ResponseWriter, _ *http.Request) { w.Write([]byte{2, 0, 0, 0, 0, 0, 0, 1, 1, 0x47}) },
	} {
		server := httptest.NewServer(answer)
		p, err := ipp.New("ipp" + strings.TrimPrefix(server.URL, "http"))
		if err != nil {
			t.Fatal(err)
		}
		if _, err := p.Ask(t.Context()); err == nil || !strings.Contains(err.Error(), "does not answer") {
			t.Errorf("%s: %v", name, err)
		}
		server.Close()
	}
}
