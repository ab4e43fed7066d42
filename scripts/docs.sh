#!/usr/bin/env bash
# The API reference from the public headers, in build/docs/html; ends with 1 at any warning.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/setup.sh doxygen
mkdir -p build
doxygen docs/Doxyfile
echo "build/docs/html/index.html: $(find build/docs/html -name '*.html' | wc -l) pages, no warning"
