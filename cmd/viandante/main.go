// Command viandante is the program: the server, the demo, and the tools for map data.
package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelInfo}))
	root := &cobra.Command{
		Use:           "viandante",
		Short:         "Places, addresses, distances and ways, on your own machine",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	env := environment(log)
	root.AddCommand(serveCommand(env), demoCommand(env), regionCommand(env), placesCommand(env), backupCommand(env),
		restoreCommand(env),
		doctorCommand(env), tokenCommand(env))
	if err := root.ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "viandante:", err)
		os.Exit(1)
	}
}
