#!/usr/bin/env bash
# Measures the figures that Rope Bench promises, and prints a table.
set -euo pipefail
cd "$(dirname "$0")/.."
CGO_ENABLED=0 go build -o bin/figures ./figures
exec bin/figures bin
