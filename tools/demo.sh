#!/usr/bin/env bash
# Installs what is missing (Debian 12), builds optimised and runs the demo. Results: archway-demo/
set -euo pipefail
cd "$(dirname "$0")/.."
. tools/common.sh
install_missing $packages
cmake --preset user >/dev/null
cmake --build --preset user
build/user/apps/archway/archway demo --out archway-demo
