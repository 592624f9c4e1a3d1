// Command usualpath runs request scenarios against a local service.
package main

import (
	"os"

	"usualpath/internal/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:], os.Stdout, os.Stderr)) }
