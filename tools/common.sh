# Shared by the scripts of this folder: what has to be installed, and how.
packages="cmake ninja-build g++ git libeigen3-dev libmumps-seq-dev libmetis-dev liblapacke-dev libopenblas-pthread-dev libcli11-dev
  libtomlplusplus-dev nlohmann-json3-dev libfmt-dev libmuparser-dev libnanoflann-dev libcairo2-dev libpng-dev zlib1g-dev libpugixml-dev libssl-dev
  fonts-dejavu-core"
developer_packages="catch2 libbenchmark-dev libvalijson-dev clang-format-14 chromium libspectra-dev"

# Where ccache is installed (it is not asked for: a first build gains nothing), what has been compiled before is not compiled again.
if command -v ccache >/dev/null; then
  export CMAKE_CXX_COMPILER_LAUNCHER=ccache CCACHE_SLOPPINESS=pch_defines,time_macros,include_file_mtime,include_file_ctime
fi

install_missing() {
  missing=""
  for package in "$@"; do
    dpkg-query -W -f='${Status}' "$package" 2>/dev/null | grep -q "install ok installed" || missing="$missing $package"
  done
  [ -z "$missing" ] && return 0
  echo "installing:$missing"
  sudo=""
  [ "$(id -u)" = 0 ] || sudo=sudo
  $sudo apt-get update -qq
  DEBIAN_FRONTEND=noninteractive $sudo apt-get install -y -qq --no-install-recommends $missing >/dev/null
}
