package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"time"

	"leancatch/internal/device"
)

// simulate plays a probe in a cold place, and perhaps a thermometer and a scale,
// and sends what they read to a running application, as real devices do; or it plays
// a label printer. It needs no database.
func simulate(ctx context.Context, flags *flag.FlagSet, args []string) error {
	url := flags.String("url", "http://127.0.0.1:8420", "the application")
	token := flags.String("token", os.Getenv("LEANCATCH_TOKEN"), "token that may send, of the probe or of the kitchen")
	name := flags.String("probe", "walk-in-air", "name of the probe, as the application knows it; empty for none")
	kind := flags.String("cabinet", "walk-in", "what it stands in: walk-in, drawer or freezer")
	interval := flags.Duration("interval", 5*time.Minute, "between readings")
	back := flags.Duration("backfill", 0, "send so much of the past first")
	fail := flags.Duration("fail-after", -1,
		"the cabinet fails after this time; with -backfill it may lie in the past, counted from there")
	failFor := flags.Duration("fail-for", 2*time.Hour, "how long it fails")
	silent := flags.Duration("silent-after", -1, "the probe says nothing from then on, counted as -fail-after")
	silentFor := flags.Duration("silent-for", time.Hour, "how long it is silent")
	ajar := flags.Duration("ajar-after", -1, "the door is not quite shut, counted as -fail-after")
	ajarFor := flags.Duration("ajar-for", time.Hour, "how long")
	ahead := flags.Duration("ahead", 0, "the probe's clock is ahead")
	repeats := flags.Duration("repeat", 0, "each message holds the readings of so long before again")
	drop := flags.Float64("drop", 0, "share of the readings that never arrive")
	offset := flags.Float64("offset", 0, "it reads so much too high, K")
	drift := flags.Float64("drift", 0, "and so much more each day, K")
	noise := flags.Float64("noise", 0.05, "standard deviation of its readings, K")
	truthFile := flags.String("truth", "", "file to which the truth is written: at, air and fish in °C")
	thermometer := flags.String("thermometer", "", "name of a thermometer that measures a fish each interval")
	scale := flags.String("scale", "", "name of a scale that weighs a fish each interval")
	kg := flags.Float64("kg", 2.4, "what that fish weighs")
	printer := flags.String("printer", "", "address at which it plays a label printer instead, as 127.0.0.1:8631")
	prints := flags.String("prints", ".data/labels", "folder where that keeps each label as a picture")
	empty := flags.Bool("empty", false, "that printer is out of labels")
	if err := flags.Parse(args); err != nil {
		return err
	}
	if *printer != "" {
		return playPrinter(ctx, *printer, &device.Printer{Dir: *prints, Empty: *empty})
	}
	make := map[string]func(uint64) *device.Cabinet{"walk-in": device.WalkIn, "drawer": device.Drawer,
		"freezer": device.Freezer}[*kind]
	if make == nil {
		return fmt.Errorf("-cabinet %s: walk-in, drawer or freezer", *kind)
	}
	if *interval < time.Second {
		return fmt.Errorf("-interval %s: a second at least", *interval)
	}
	if *token == "" {
		return fmt.Errorf(
			"no token: make one on the probe's page or with leancatch token, and give it with -token or LEANCATCH_TOKEN")
	}
	begin := time.Now().UTC().Add(-*back)
	span := func(after, length time.Duration) []device.Span {
		if after < 0 {
			return nil
		}
		return []device.Span{{From: begin.Add(after), To: begin.Add(after + length)}}
	}
	cabinet := make(1)
	cabinet.Failures, cabinet.Ajar = span(*fail, *failFor), span(*ajar, *ajarFor)
	cabinet.Fish = &device.Fish{RadiusM: 0.04, H: 20, StartC: cabinet.SetC}
	p := device.Probe{Name: *name, Cabinet: cabinet, Interval: *interval, NoiseK: *noise, OffsetC: *offset,
		DriftKDay: *drift, Resolution: 0.1, Dropped: *drop, Silent: span(*silent, *silentFor), Ahead: *ahead,
		Repeats: *repeats}
	p.Start(begin.Add(-12 * time.Hour))
	p.Advance(begin, nil) // settles
	var truth io.Writer = io.Discard
	if *truthFile != "" {
		file, err := os.Create(*truthFile)
		if err != nil {
			return err
		}
		defer file.Close()
		buffered := bufio.NewWriter(file)
		defer buffered.Flush()
		truth = buffered
		fmt.Fprintln(truth, "at,air,fish")
	}
	client := device.Client{URL: *url, Token: *token}
	tick := time.NewTicker(min(*interval, 10*time.Second))
	defer tick.Stop()
	var held time.Time
	for {
		now := time.Now().UTC()
		var records []device.Record
		read := p.Advance(now, func(at time.Time, air float64) {
			fmt.Fprintf(truth, "%s,%.3f,%.3f\n", at.Format(time.RFC3339), air, cabinet.Fish.MeanC())
		})
		if *name != "" {
			records = device.Of(read)
		}
		if now.Sub(held) >= *interval {
			held = now
			if *thermometer != "" {
				records = append(records, device.Thermometer{Name: *thermometer}.Read(cabinet.Fish.CoreC(),
					20*time.Second, now))
			}
			if *scale != "" {
				records = append(records, device.Scale{Name: *scale, StepKg: 0.005, NoiseKg: 0.002}.Weigh(*kg, now))
			}
		}
		answer, err := client.Send(ctx, records...)
		switch {
		case ctx.Err() != nil:
			return nil
		case err != nil:
			fmt.Fprintln(os.Stderr, "kept for later:", err)
		case answer.Stored+answer.Duplicate+len(answer.Refused) > 0:
			fmt.Printf("%s: %d stored, %d there already, %d refused", now.Format("15:04:05"), answer.Stored,
				answer.Duplicate, len(answer.Refused))
			for _, note := range answer.Notes {
				fmt.Printf("; %s", note)
			}
			fmt.Println()
		}
		select {
		case <-ctx.Done():
			return nil
		case <-tick.C:
		}
	}
}

// playPrinter serves a label printer until the context ends.
func playPrinter(ctx context.Context, addr string, p *device.Printer) error {
	if err := os.MkdirAll(p.Dir, 0o700); err != nil {
		return err
	}
	listener, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	server := &http.Server{Handler: p, ReadHeaderTimeout: 10 * time.Second}
	go func() {
		<-ctx.Done()
		server.Close()
	}()
	fmt.Printf("A label printer listens on ipp://%s/ipp/print and keeps what it prints in %s\n", listener.Addr(), p.Dir)
	if err := server.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}
