#pragma once
#include <stdexcept>
#include <string>

/// A small valid study that tests change word by word.
namespace archway::test {

inline const std::string& small_study() {
  static const std::string text = R"([study]
title = "Planting bench column"
format = 1
units = { force = "N", length = "mm" }

[parameters]
height = 1200
width = 30

[materials.alloy]
youngs_modulus = 70000
poisson_ratio = 0.33
density = 2.7e-9

[profiles]
bar = { shape = "rectangle", width = "width", height = 20 }

[points]
head = [0, 0, "height"]

[[members]]
name = "column"
material = "alloy"
profile = "bar"
from = [0, 0, 0]
to = "head"
up = [1, 0, 0]
elements = 6

[[supports]]
name = "foot"
at = "column.start"
restrain = ["x", "y", "z", "rz"]

[[supports]]
name = "head guide"
at = "head"
restrain = ["x", "y"]

[[actions]]
name = "weight"
loads = [{ kind = "gravity" }]

[[actions]]
name = "press"
loads = [{ kind = "force", at = "head", force = [0, 0, -1] }]

[combinations.all]
weight = 1.35
press = 2

[[watches]]
name = "middle"
at = { near = [0, 0, "height / 2"] }
direction = [1, 0, 0]

[[analyses]]
name = "standing"
kind = "LA"
load = "weight"

[[analyses]]
name = "buckling"
kind = "LBA"
preload_of = "standing"
load = "press"
modes = 2
reversed_load = "leave-out"

[[imperfections]]
name = "bow"
mode_of = "buckling"
mode = 1
amplitude = { length_ratio = 0.002, part = "column" }

[[analyses]]
name = "collapse"
kind = "GNIA"
loads_of = "buckling"
imperfection = "bow"
stop = { watch = "middle", value = 60, increments = 30 }
)";
  return text;
}

/// The text with one piece replaced; the piece must be there exactly once or the test itself is wrong.
inline std::string with(std::string text, const std::string& old_piece, const std::string& new_piece) {
  const auto at = text.find(old_piece);
  if (at == std::string::npos || text.find(old_piece, at + 1) != std::string::npos)
    throw std::logic_error("'" + old_piece + "' is not in the study once");
  return text.replace(at, old_piece.size(), new_piece);
}

}  // namespace archway::test
