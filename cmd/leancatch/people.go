package main

import (
	"bufio"
	"context"
	"flag"
	"fmt"
	"os"

	"leancatch/internal/core/access"
	"leancatch/internal/kitchen"
)

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

// readPassword reads a password from the first line of the input.
func readPassword() string {
	fmt.Fprint(os.Stderr, "New password: ")
	line := bufio.NewScanner(os.Stdin)
	line.Scan()
	return line.Text()
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
	if err := k.ResetPassword(ctx, *user, readPassword()); err != nil {
		return fmt.Errorf("user %q: %w", *user, err)
	}
	fmt.Println("The password is set; all sessions of this user name have ended.")
	return nil
}

// account makes somebody an owner of a kitchen, with a user name of theirs: for when no owner can get in
// any more.
func account(ctx context.Context, flags *flag.FlagSet, args []string) error {
	site := flags.String("site", "", "the kitchen, as in its address")
	user := flags.String("user", "", "the user name: a new one, or one that is there")
	name := flags.String("name", "", "the name of the person, of a new one")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if *site == "" || *user == "" {
		return fmt.Errorf("usage: leancatch account -site harbour -user mara -name Mara, the password on the input")
	}
	person, err := k.RestoreOwner(ctx, *site, kitchen.NewPerson{Name: *name, UserName: *user, Password: readPassword()})
	if err != nil {
		return fmt.Errorf("user %q: %w", *user, err)
	}
	fmt.Printf("%s is an owner of %s, by the user name %s and this password.\n", person.Name, *site, *user)
	return nil
}

// unlock lifts what too many wrong secrets locked or slowed down.
func unlock(ctx context.Context, flags *flag.FlagSet, args []string) error {
	user := flags.String("user", "", "the user name; everybody where empty")
	k, err := open(ctx, flags, args)
	if err != nil {
		return err
	}
	defer k.DB.Close()
	if err := k.UnlockAll(ctx, *user); err != nil {
		return fmt.Errorf("user %q: %w", *user, err)
	}
	fmt.Println("Unlocked.")
	return nil
}
