package main

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"viandante/service/access"
)

func tokenCommand(e *env) *cobra.Command {
	var workspace, scopes string
	var collections, origins []string
	var perMinute, perDay int
	cmd := &cobra.Command{
		Use: "token NAME", Short: "Make a token and print its secret, which is shown once", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) (err error) {
			db, closeStore, err := e.openStore(cmd.Context(), false)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, closeStore()) }()
			id, err := workspaceOf(cmd.Context(), db, workspace)
			if err != nil {
				return err
			}
			a := access.Program(id, "command line")
			_, secret, err := access.NewGate(db, time.Now).MakeToken(cmd.Context(), a, access.TokenDraft{Name: args[0],
				Scopes:      strings.FieldsFunc(scopes, func(r rune) bool { return r == ',' || r == ' ' }),
				Collections: collections,
				Origins:     origins, PerMinute: perMinute, PerDay: perDay})
			if err != nil {
				return err
			}
			fmt.Println(secret)
			return nil
		},
	}
	cmd.Flags().StringVar(&scopes, "scopes", "read", "what it may do: "+access.AllScopes)
	cmd.Flags().StringArrayVar(&collections, "collection", nil, "a collection that it is for; without it all")
	cmd.Flags().StringArrayVar(&origins, "origin", nil, "the origin of pages that may use it, e.g. https://app.example")
	cmd.Flags().IntVar(&perMinute, "per-minute", 0, "calls that are answered in a minute, 0 for any number")
	cmd.Flags().IntVar(&perDay, "per-day", 0, "calls that are answered in a day, 0 for any number")
	cmd.Flags().StringVar(&workspace, "workspace", "", "the workspace's id, where there are several")
	return cmd
}
