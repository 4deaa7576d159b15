#pragma once
/// Everything of the room `report`: text, pictures, pages.
#include "archway/report/curves.hpp"
#include "archway/report/figure.hpp"
#include "archway/report/figures.hpp"
#include "archway/report/live.hpp"
#include "archway/report/section_curve_sheet.hpp"
#include "archway/report/section_sheet.hpp"
#include "archway/report/text.hpp"
#include "archway/report/theory_sheet.hpp"
