#!/bin/sh
# Pins what each .in asks for, with hashes and without download addresses. Needs uv.
set -eu
cd "$(dirname "$0")"
flags="--quiet --generate-hashes --no-emit-index-url --no-header --no-annotate --python-version 3.11"
uv pip compile $flags run.in -o run.txt "$@"
uv pip compile $flags words.in -o words.txt "$@"
uv pip compile $flags --no-deps voices.in -o voices.txt "$@"
uv pip compile $flags store.in -o store.txt "$@"
uv pip compile $flags dev.in -o dev.txt "$@"
uv pip compile $flags mutate.in -o mutate.txt "$@"
