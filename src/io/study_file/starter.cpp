#include "archway/io/study_file.hpp"

namespace archway::io {

std::string starter_study() {
  return R"(# A study for archway: everything between description and collapse load in one file.
# Any number may be an expression in quotes over the parameters: "span / 4", "sqrt(2) * rise".
# Check it with:  archway check FILE      Run it with:  archway run FILE
# Change a parameter from outside with:   archway run FILE --set depth=90

[study]
title = "Garden arch with a load on its crown"
format = 1
units = { force = "N", length = "mm" }                        # N, kN or MN

[parameters]
span = 3000
rise = 450
depth = 70                         # height of the rib's section

[materials.larch]
youngs_modulus = 11800             # force / length^2
poisson_ratio = 0.35
density = 5.5e-10                  # mass / length^3; needed for own weight only
yield_stress = 30                  # optional: used for warnings only

[profiles]                         # shapes: rectangle, circle, rectangular-hollow, circular-hollow, i
rib = { shape = "rectangle", width = 45, height = "depth" }

[[members]]                        # a line from ... to ...; with a point "via" it is an arc
name = "rib"
material = "larch"
profile = "rib"
from = ["-span / 2", 0, 0]
via = [0, 0, "rise"]
to = ["span / 2", 0, 0]
elements = 12
up = [0, 0, 1]                     # the height of the section leans this way

# Panels are described like this:
# [[panels]]
# name = "skin"
# material = "larch"
# thickness = 6
# corner = [0, 0, 0]
# along = [1000, 0, 0]
# across = [0, 800, 0]
# divisions = [16, 12]

[[supports]]                       # "at" takes a name (a part, its .start or .end, a point) or rules: { x = 0 }, { near = [..] }
name = "feet"
at = { z = 0 }
restrain = ["x", "y", "z", "rx", "rz"] # or "all"; turning about y stays free: hinged feet

[[supports]]
name = "guide at the crown"
at = { near = [0, 0, "rise"] }
restrain = ["y"]

[[actions]]
name = "own-weight"
loads = [{ kind = "gravity" }]

[[actions]]                       # a unit load: the load factor then reads as the load in N
name = "crown-load"
loads = [{ kind = "force", at = { near = [0, 0, "rise"] }, force = [0, 0, -1] }]

[[watches]]                          # points whose movement is recorded
name = "crown"
at = { near = [0, 0, "rise"] }
direction = [0, 0, -1]

[[analyses]]                       # 1. static preload, first order
name = "standing"
kind = "LA"
load = "own-weight"

[[analyses]]                       # 2. critical load factors: own weight held, crown load growing
name = "buckling"
kind = "LBA"
preload_of = "standing"
load = "crown-load"
modes = 4
reversed_load = "leave-out"             # or "show": factors of the load reversed

[[imperfections]]                  # 3. the first mode as a bow of 1/400 of the rib's length
name = "bow"
mode_of = "buckling"
mode = 1
amplitude = { length_ratio = 0.0025, part = "rib" }

[[analyses]]                       # 4. the path to collapse and past it
name = "collapse"
kind = "GNIA"
loads_of = "buckling"
imperfection = "bow"
stop = { below_peak_ratio = 0.7, increments = 60 }
)";
}

}  // namespace archway::io
