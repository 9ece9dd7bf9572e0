// Command leancatch keeps the freshness and the cold chain of whole fish.
//
//	leancatch serve     serve the application on the database
//	leancatch demo      the same with invented data, made where the database is empty
//	leancatch migrate   bring the database's schema up to date
//	leancatch import    store a logger's CSV file
//	leancatch rebuild   make the projections again from events and readings
//	leancatch check     verify the hash chains of every lot and of the audit
//	leancatch token     make a token for the JSON API
//	leancatch password  set the password of an account, read from the input
//	leancatch simulate  play a probe, a thermometer and a scale that send to a running application
//	leancatch retain    drop readings older than some months; their hours stay
//
// The database is named by LEANCATCH_DATABASE_URL or -database.
package main

import (
	"bufio"
	"context"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"leancatch/internal/core/access"
	"leancatch/internal/core/unit"
	"leancatch/internal/intake"
	"leancatch/internal/kitchen"
	"leancatch/internal/store"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "leancatch:", err)
		os.Exit(1)
	}
}

// commands by name.
var commands = map[string]func(context.Context, *flag.FlagSet, []string) error{
	"serve": serve, "demo": demoCommand, "migrate": migrate, "import": importCommand, "rebuild": rebuild,
	"check": check, "token": token, "password": password, "simulate": simulate, "retain": retain,
}

func run(ctx context.Context, args []string) error {
	if len(args) == 0 || commands[args[0]] == nil {
		return fmt.Errorf(
			"usage: leancatch serve|demo|migrate|import|rebuild|check|token|password|simulate|retain [flags]")
	}
	flags := flag.NewFlagSet("leancatch "+args[0], flag.ContinueOnError)
	flags.String("database", os.Getenv("LEANCATCH_DATABASE_URL"), "postgres:// URL of the database")
	return commands[args[0]](ctx, flags, args[1:])
}

// open parses the flags and opens the database, migrated.
func open(ctx context.Context, flags *flag.FlagSet, args []string) (*kitchen.Kitchen, error) {
	if err := flags.Parse(args); err != nil {
		return nil, err
	}
	url := flags.Lookup("database").Value.String()
	if url == "" {
		return nil, fmt.Errorf("no database: set LEANCATCH_DATABASE_URL or -database to a postgres:// URL")
	}
	db, err := store.Open(ctx, url)
	if err != nil {
		return nil, err
	}
	if err := db.Migrate(ctx); err != nil {
		db.Close()
		return nil, err
	}
	return kitchen.New(db, slog.New(slog.NewTextHandler(os.Stderr, nil))), nil
}

// actAs puts a person of a site into the context: the first manager or owner
// where none is named.
func actAs(ctx context.Context, k *kitchen.Kitchen, slug, name string) (context.Context, error) {
	all := store.Everywhere(ctx)
	site, err := k.DB.SiteBySlug(all, slug)
	if err != nil {
		return ctx, fmt.Errorf("kitchen %q: %w", slug, err)
	}
	people, err := k.DB.People(all, site.ID)
	if err != nil {
		return ctx, err
	}
	for _, p := range people {
		a := kitchen.Actor{Site: kitchen.Site(site), Person: kitchen.Person(p)}
		if p.LeftAt == nil && (p.Name == name || name == "" && a.IsManager()) {
			return kitchen.WithActor(ctx, a), nil
		}
	}
	return ctx, fmt.Errorf("there is nobody named %q at %s", name, slug)
}

func migrate(ctx context.Context, flags *flag.FlagSet, args []string) error {
	back := flags.Int64("back-to", -1,
		"take the schema back to a version, to run an older program; what only later ones hold is lost")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if *back >= 0 {
		if err := k.DB.Unmigrate(ctx, *back); err != nil {
			return err
		}
		fmt.Printf("The schema is that of version %d.\n", *back)
		return nil
	}
	fmt.Println("The schema is up to date.")
	return nil
}

func importCommand(ctx context.Context, flags *flag.FlagSet, args []string) error {
	site := flags.String("site", "", "the kitchen, as in its address")
	person := flags.String("person", "", "who imports; the first manager where empty")
	place := flags.String("place", "", "the place where the logger lay")
	scale := flags.String("unit", "", "C or F, where the file does not tell")
	order := flags.String("dates", "", "dmy, mdy or ymd, where the file does not tell")
	column := flags.Int("column", 0, "which column has the temperature, from 1, where several could")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if flags.NArg() != 1 {
		return fmt.Errorf("usage: leancatch import -site harbour -place \"Walk-in\" FILE")
	}
	if ctx, err = actAs(ctx, k, *site, *person); err != nil {
		return err
	}
	places, err := k.Places(ctx)
	if err != nil {
		return err
	}
	var target kitchen.Target
	for _, p := range places {
		if p.Name == *place {
			target.PlaceID = p.ID
		}
	}
	file, err := os.Open(flags.Arg(0))
	if err != nil {
		return err
	}
	defer file.Close()
	again := func() io.Reader { return io.NewSectionReader(file, 0, 1<<62) }
	chosen := kitchen.Choices{Unit: unit.TempScale(*scale), DateOrder: intake.DateOrder(*order)}
	if *column > 0 {
		*column--
		chosen.TempColumn = column
	}
	got, err := k.ImportFile(ctx, again, chosen, target)
	if err != nil {
		return err
	}
	fmt.Printf("%d readings stored, %d were here already, %d lines bad.\n", got.Stored, got.Duplicate, got.Bad)
	for _, bad := range got.BadRows {
		fmt.Printf("  line %d: %s\n", bad.Line, bad.Why)
	}
	return nil
}

// eachSite calls do for every kitchen of the database.
func eachSite(ctx context.Context, flags *flag.FlagSet, args []string,
	do func(*kitchen.Kitchen, kitchen.Site) error) error {
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
		if err := do(k, site); err != nil {
			return fmt.Errorf("%s: %w", site.Name, err)
		}
	}
	return nil
}

func rebuild(ctx context.Context, flags *flag.FlagSet, args []string) error {
	return eachSite(ctx, flags, args, func(k *kitchen.Kitchen, site kitchen.Site) error { return k.Rebuild(ctx, site) })
}

func check(ctx context.Context, flags *flag.FlagSet, args []string) error {
	return eachSite(ctx, flags, args, func(k *kitchen.Kitchen, site kitchen.Site) error {
		n, err := k.CheckChains(ctx, site)
		if err != nil {
			return err
		}
		entries, err := k.CheckAudit(ctx, site.ID)
		if err == nil {
			fmt.Printf("%s: %d lots and %d entries of the audit, all chains whole and unaltered.\n", site.Name, n,
				entries)
		}
		return err
	})
}

func token(ctx context.Context, flags *flag.FlagSet, args []string) error {
	site := flags.String("site", "", "the kitchen, as in its address")
	person := flags.String("person", "", "whom it acts as; the first manager where empty")
	name := flags.String("name", "token", "what it is for")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if ctx, err = actAs(ctx, k, *site, *person); err != nil {
		return err
	}
	text, err := k.AddToken(ctx, kitchen.NewToken{Name: *name,
		Scopes: []access.Scope{access.ScopeRead, access.ScopeWrite}})
	if err != nil {
		return err
	}
	fmt.Println(text)
	return nil
}

// password sets the password of an account from the first line of the input:
// whoever runs it holds the database anyway.
func password(ctx context.Context, flags *flag.FlagSet, args []string) error {
	user := flags.String("user", "", "the user name")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	fmt.Fprint(os.Stderr, "New password: ")
	line := bufio.NewScanner(os.Stdin)
	line.Scan()
	if err := k.ResetPassword(ctx, *user, line.Text()); err != nil {
		return fmt.Errorf("user %q: %w", *user, err)
	}
	fmt.Println("The password is set; all sessions of this user name have ended.")
	return nil
}

// retain drops old readings, by whole months.
func retain(ctx context.Context, flags *flag.FlagSet, args []string) error {
	months := flags.Int("months", 0, "how many whole months of readings to keep besides this one")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if *months < 1 {
		return fmt.Errorf(
			"usage: leancatch retain -months 24: readings older than that are dropped for ever, their hourly roll-up stays")
	}
	dropped, err := k.Retain(ctx, *months)
	if err == nil {
		fmt.Printf("%d months of readings dropped; the roll-up of their hours stays.\n", dropped)
	}
	return err
}
