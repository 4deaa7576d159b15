#pragma once
#include "archway/model/model.hpp"
#include "archway/study/keys.hpp"
#include "archway/study/units.hpp"

namespace archway::study {

struct LoadSpec;
namespace detail {
class LoadBuilder;
}

/// A kind of load of an action: how a study gives it, and what it puts on the model. Each has one file in
/// src/study/actions; what acts on elements in the end is in model::Action and elements::add_loads.
class LoadKind {
 public:
  virtual ~LoadKind() = default;
  virtual const char* word() const = 0;  ///< "member-pressure"
  virtual void read(Keys& keys, LoadSpec& load, const Units& units) const = 0;
  /// Adds it to an action; complains where it acts on nothing.
  virtual void build(detail::LoadBuilder& builder, model::Action& action, const LoadSpec& load) const = 0;
};

const std::vector<const LoadKind*>& load_kinds();

}  // namespace archway::study
