#!/bin/sh
# Pin every Python package, with hashes, into packaging/requirements.lock.
set -eu
cd "$(dirname "$0")/.."
. .venv/bin/activate
python -m pip install -q pip-tools
exec pip-compile -q --generate-hashes --allow-unsafe --strip-extras --no-emit-index-url \
    --no-emit-find-links --no-header --output-file packaging/requirements.lock packaging/requirements.in
