#pragma once
#include <nlohmann/json.hpp>

#include "archway/elements/internal_forces.hpp"
#include "archway/study/chain.hpp"

/// What results and checks have in common: the study, and the structure as it was read.
namespace archway::io::detail {

nlohmann::ordered_json vector(const base::Vec3& v);
nlohmann::ordered_json resultant(const elements::Resultant& r);
nlohmann::ordered_json provenance(const study::StudySpec& spec);
nlohmann::ordered_json check_part(const study::CheckReport& report);

}  // namespace archway::io::detail
