package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"runtime"
	"time"

	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

// revision is the commit that was built; the build says it.
var revision = "of an unknown commit"

// version says which program this is, and which schema it needs.
func version(context.Context, *flag.FlagSet, []string) error {
	fmt.Printf("Lean Catch %s, %s; schema %d\n", revision, runtime.Version(), store.NewestVersion())
	return nil
}

func migrate(ctx context.Context, flags *flag.FlagSet, args []string) error {
	back := flags.Int64("back-to", -1, "take the schema back to a version, to run an older program")
	consent := flags.String("destroy", "", "the name of the database: what only later versions hold may be destroyed")
	url, err := databaseURL(flags, args)
	if err != nil {
		return err
	}
	db, err := store.Open(ctx, url)
	if err != nil {
		return err
	}
	defer db.Close()
	if *back >= 0 {
		return migrateBack(ctx, db, *back, *consent)
	}
	if err := db.Migrate(ctx); err != nil {
		return err
	}
	fmt.Println("The schema is up to date.")
	return nil
}

// migrateBack says what would be lost, and takes the schema back where that was consented to.
func migrateBack(ctx context.Context, db *store.DB, version int64, consent string) error {
	lost, err := db.LostBy(ctx, version)
	if err != nil {
		return err
	}
	fmt.Printf("Back from version %d to %d destroys:\n", lost.From, version)
	for _, l := range lost.What {
		fmt.Println("  " + l)
	}
	if consent != lost.Database {
		return fmt.Errorf("nothing was changed: make a backup (leancatch backup), then say -destroy %s", lost.Database)
	}
	if err := db.Unmigrate(ctx, version); err != nil {
		return err
	}
	fmt.Printf("The schema is that of version %d.\n", version)
	return nil
}

func rebuild(ctx context.Context, flags *flag.FlagSet, args []string) error {
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	sites, err := k.Sites(ctx)
	if err != nil {
		return err
	}
	for _, site := range sites {
		if err := k.Rebuild(ctx, site); err != nil {
			return fmt.Errorf("%s: %w", site.Name, err)
		}
	}
	return nil
}

// check verifies every chain up to its head, and that the database is as it must be.
func check(ctx context.Context, flags *flag.FlagSet, args []string) error {
	against := flags.String("against", "", "a file that leancatch heads printed earlier: the chains must still lead there")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	var kept []kitchen.Heads
	if *against != "" {
		if kept, err = readHeads(*against); err != nil {
			return err
		}
	}
	return checkAll(ctx, k, kept)
}

func checkAll(ctx context.Context, k *kitchen.Kitchen, kept []kitchen.Heads) error {
	faults := k.Health(ctx)
	for _, f := range faults {
		fmt.Println("Fault: " + f)
	}
	if len(faults) > 0 {
		return fmt.Errorf("%d faults", len(faults))
	}
	fmt.Println("Schema, roles, policies, grants and disk are as they must be.")
	sites, err := k.Sites(ctx)
	if err != nil {
		return err
	}
	for _, site := range sites {
		lots, err := k.CheckChains(ctx, site)
		if err != nil {
			return fmt.Errorf("%s: %w", site.Name, err)
		}
		entries, err := k.CheckAudit(ctx, site.ID)
		if err != nil {
			return fmt.Errorf("%s: %w", site.Name, err)
		}
		fmt.Printf("%s: %d lots and %d entries of the audit, all chains whole and unaltered.\n", site.Name, lots, entries)
	}
	for _, heads := range kept {
		if err := k.CheckHeads(ctx, heads); err != nil {
			return fmt.Errorf("%s: %w", heads.Kitchen, err)
		}
		fmt.Printf("%s: all %d chains lead to where they did on %s.\n", heads.Kitchen, len(heads.Lots)+1, heads.At.Format("2006-01-02 15:04 MST"))
	}
	return nil
}

// heads prints the last link of every chain, a kitchen a line.
func heads(ctx context.Context, flags *flag.FlagSet, args []string) error {
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	return printHeads(ctx, k, os.Stdout)
}

func printHeads(ctx context.Context, k *kitchen.Kitchen, w io.Writer) error {
	sites, err := k.Sites(ctx)
	if err != nil {
		return err
	}
	for _, site := range sites {
		h, err := k.HeadsOf(ctx, site)
		if err != nil {
			return fmt.Errorf("%s: %w", site.Name, err)
		}
		if err := json.NewEncoder(w).Encode(h); err != nil {
			return err
		}
	}
	return nil
}

func readHeads(name string) (list []kitchen.Heads, err error) {
	file, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	for lines := json.NewDecoder(file); lines.More(); {
		var h kitchen.Heads
		if err := lines.Decode(&h); err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		list = append(list, h)
	}
	if len(list) == 0 {
		return nil, errors.New(name + " has no heads")
	}
	return list, nil
}

// retain says what may go of the records by the rules of each kitchen, and drops it where it is told to; or old readings alone, by whole months.
func retain(ctx context.Context, flags *flag.FlagSet, args []string) error {
	months := flags.Int("months", 0, "drop readings alone: how many whole months of them to keep besides this one")
	do := flags.Bool("do", false, "drop for ever what may go; without it nothing is changed")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if *months > 0 {
		dropped, err := k.RetainReadings(ctx, *months)
		if err == nil {
			fmt.Printf("%d months of readings dropped; the roll-up of their hours stays.\n", dropped)
		}
		return err
	}
	sites, err := k.Sites(store.Everywhere(ctx))
	if err != nil {
		return err
	}
	for _, site := range sites {
		list, err := k.Retention(store.Everywhere(ctx), site)
		if err != nil {
			return err
		}
		fmt.Println(site.Name)
		for _, x := range list {
			fmt.Printf("  %-56s %6d may go (before %s), %6d stay: %s\n", x.What, x.Gone, x.Before.Format(time.DateOnly), x.Kept, x.Rule)
		}
	}
	if !*do {
		fmt.Println("Nothing was changed: leancatch retain -do drops for ever what may go.")
		return nil
	}
	if err := k.Retain(ctx); err != nil {
		return err
	}
	fmt.Println("Dropped. The ends of the chains stay: heads that were kept elsewhere still prove something.")
	return nil
}
