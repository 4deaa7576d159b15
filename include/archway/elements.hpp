#pragma once
/// Everything of the room `elements`: batches of elements, ties, loads.
#include "archway/elements/bar.hpp"
#include "archway/elements/batch.hpp"
#include "archway/elements/beam.hpp"
#include "archway/elements/kernels.hpp"
#include "archway/elements/loads.hpp"
#include "archway/elements/outline.hpp"
#include "archway/elements/shell.hpp"
#include "archway/elements/shell_measured.hpp"
#include "archway/elements/solid.hpp"
#include "archway/elements/spring.hpp"
#include "archway/elements/state.hpp"
#include "archway/elements/tie.hpp"
