// Command wobin is the whole program: the server with its screens, the command line and the demo.
package main

import (
	"os"

	"wobin/internal/cli"
)

func main() { os.Exit(cli.Run(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
