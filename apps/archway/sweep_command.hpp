#pragma once
#include <map>
#include <string>
#include <vector>

#include "cli.hpp"

namespace archway::app {

struct SweepOptions {
  std::string study, name;  ///< name: of a sweep; empty: the only one
  std::string out;          ///< folder of the cases
  std::string cases;        ///< "3,7,40:80"; empty: all
  int jobs = 0;             ///< processes side by side; 0: one a core
  std::string slurm;        ///< array job to write for the cases that are missing; empty: none
  bool submit = false, status = false;
  int parts = 8;                   ///< of the array job
  std::vector<std::string> merge;  ///< folders whose cases are joined
  std::string beside;              ///< standard's curve in the chart: "shell-axial"; empty: none
};

/// archway sweep: runs the cases of a sweep that are not done yet, side by side, and sums up what is there.
int command_sweep(const SweepOptions& options, const std::map<std::string, double>& overrides, bool force,
                  Console& console);

}  // namespace archway::app
