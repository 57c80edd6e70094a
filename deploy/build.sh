#!/bin/sh
# What an image is built with: Python packages and the front end, in this checkout. Needs no PostgreSQL server.
set -eu
cd "$(dirname "$0")/.."
exec ./faena build
