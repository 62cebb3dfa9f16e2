// Command vastspan is the service, its client and a calculator for files, in one binary.
package main

import (
	"os"

	"vastspan/internal/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:], os.Stdin, os.Stdout, os.Stderr)) }
