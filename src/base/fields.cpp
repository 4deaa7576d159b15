#include "archway/base/fields.hpp"

namespace archway::base {

const char* to_text(Dimension dimension) {
  switch (dimension) {
    case Dimension::none:
      return "";
    case Dimension::load_factor:
      return "load factor";
    case Dimension::share:
      return "share";
    case Dimension::length:
      return "length";
    case Dimension::force:
      return "force";
    case Dimension::work:
      return "force x length";
    case Dimension::arc:
      return "load factor or arc";
  }
  return "?";
}

}  // namespace archway::base
