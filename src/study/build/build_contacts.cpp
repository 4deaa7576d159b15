#include <algorithm>
#include <cmath>
#include <map>

#include "archway/base/index.hpp"
#include "archway/elements/surface_contact.hpp"
#include "build/build_model_detail.hpp"

namespace archway::study::detail {

namespace {
using base::at;
using model::ContactFace;

constexpr double kRoundingOfContacts = 1e-9;  ///< of the structure's size
/// Stiffer than what touches, so that few rounds are enough; what comes out does not hang on it.
constexpr double kStiff = 100;
constexpr double kWallDepth = 0.25, kSolidDepth = 0.4;  ///< of the thickness: so deep inside is not yet behind

double modulus_of(const model::Model& m, int part) {
  return m.materials[at(m.parts[at(part)].material)].youngs_modulus;
}

/// Both sides of a shell element.
void add_wall(const model::Model& m, const model::ShellElement& e, std::vector<ContactFace>& list) {
  const double t = m.thickness(e), offset = m.parts[at(e.part)].offset_z;
  ContactFace face;
  face.count = e.count;
  face.part = e.part;
  face.nodes = e.nodes;
  face.reach = 0.5 * t + offset;
  face.depth = kWallDepth * t;
  face.stiffness = kStiff * modulus_of(m, e.part) * t;
  list.push_back(face);
  static constexpr std::array<std::size_t, 3> kThree = {0, 2, 1};
  static constexpr std::array<std::size_t, 9> kMore = {0, 3, 2, 1, 7, 6, 5, 4, 8};
  for (std::size_t k = 0; k < at(e.count); ++k) face.nodes[k] = e.nodes[e.count == 3 ? kThree[k] : kMore[k]];
  face.side = 1;
  face.reach = 0.5 * t - offset;
  list.push_back(face);
}

/// Outer faces of the solids of a part.
void add_solids(const model::Model& m, int part, std::vector<ContactFace>& list) {
  std::map<std::array<int, 4>, std::pair<int, ContactFace>> seen;
  std::vector<std::array<int, 4>> order;
  for (const auto& e : m.solid_elements) {
    if (e.part != part) continue;
    Vec3 middle = Vec3::Zero();
    for (std::size_t k = 0; k < 8; ++k) middle += m.nodes[at(e.nodes[k])] / 8;
    for (const auto& side : model::kSolidFaces) {
      ContactFace face;
      face.count = e.count == 8 ? 4 : 8;
      face.part = part;
      std::array<int, 4> key{};
      Vec3 centre = Vec3::Zero();
      double size = 0;
      for (std::size_t k = 0; k < at(face.count); ++k) face.nodes[k] = e.nodes[at(side[k])];
      for (std::size_t k = 0; k < 4; ++k) {
        key[k] = face.nodes[k];
        centre += m.nodes[at(key[k])] / 4;
        size = std::max(size, (m.nodes[at(key[k])] - m.nodes[at(key[0])]).norm());
      }
      face.depth = kSolidDepth * 2 * (centre - middle).norm();
      face.stiffness = kStiff * modulus_of(m, part) * size;
      std::sort(key.begin(), key.end());
      const auto [entry, fresh] = seen.try_emplace(key, 0, face);
      ++entry->second.first;
      if (fresh) order.push_back(key);
    }
  }
  for (const auto& key : order)
    if (const auto& [times, face] = seen.at(key); times == 1) list.push_back(face);
}

/// A member's nodes one after the other; its outline is the model's.
void lay_member(const model::Model& m, int number, std::vector<ContactFace>& list) {
  const auto& e = m.line_elements[at(number)];
  const double area = m.profiles[at(m.parts[at(e.part)].profile)].area;
  for (int third = 0; third < 3; ++third) {
    ContactFace piece;
    piece.count = 2;
    piece.nodes = {e.nodes[at(third)], e.nodes[at(third + 1)]};
    piece.part = e.part;
    piece.member = number, piece.third = third;
    piece.stiffness = modulus_of(m, e.part) * area / (m.nodes[at(piece.nodes[1])] - m.nodes[at(piece.nodes[0])]).norm();
    list.push_back(piece);
  }
}

/// A bar is round, of its outline's radius or, without one, its area's.
void lay_bar(const model::Model& m, const model::BarElement& e, std::vector<ContactFace>& list) {
  const auto& profile = m.profiles[at(m.parts[at(e.part)].profile)];
  ContactFace piece;
  piece.count = 2;
  piece.nodes = {e.nodes[0], e.nodes[1]};
  piece.part = e.part;
  for (const auto& polygon : profile.outline)
    for (const auto& [y, z] : polygon) piece.reach = std::max(piece.reach, std::hypot(y, z));
  if (piece.reach == 0.0) piece.reach = std::sqrt(profile.area / M_PI);
  piece.stiffness =
      modulus_of(m, e.part) * profile.area / (m.nodes[at(piece.nodes[1])] - m.nodes[at(piece.nodes[0])]).norm();
  list.push_back(piece);
}

/// Edges of a panel that no other shell element shares, round with the wall's thickness.
void lay_edges(const model::Model& m, int part, std::vector<ContactFace>& list) {
  std::map<std::pair<int, int>, int> seen;
  const auto key = [](int a, int b) { return std::pair(std::min(a, b), std::max(a, b)); };
  for (const auto& e : m.shell_elements)
    for (int k = 0; k < e.corners(); ++k) ++seen[key(e.nodes[at(k)], e.nodes[at((k + 1) % e.corners())])];
  for (const auto& e : m.shell_elements)
    for (int k = 0; k < e.corners() && e.part == part; ++k) {
      const int first = e.nodes[at(k)], last = e.nodes[at((k + 1) % e.corners())];
      if (seen.at(key(first, last)) > 1) continue;
      ContactFace piece;
      piece.count = 2;
      piece.part = part;
      piece.reach = 0.5 * m.thickness(e);
      piece.stiffness = kStiff * modulus_of(m, part) * m.thickness(e);
      const int middle = e.count == 9 ? e.nodes[at(4 + k)] : -1;
      piece.nodes = {first, middle >= 0 ? middle : last};
      list.push_back(piece);
      if (middle < 0) continue;
      piece.nodes = {middle, last};
      list.push_back(piece);
    }
}

double mean_size(const model::Model& m, const std::vector<ContactFace>& faces) {
  double sum = 0;
  for (const auto& f : faces) sum += (m.nodes[at(f.nodes[f.is_line() ? 1 : 2])] - m.nodes[at(f.nodes[0])]).norm();
  return sum / static_cast<double>(faces.size());
}
}  // namespace

std::vector<ContactFace> ContactBuilder::faces_of(const std::string& name, bool edges, const SourceLocation& place) {
  std::vector<ContactFace> faces;
  bool found = false;
  for (std::size_t p = 0; p < model_.parts.size(); ++p) {
    const auto& part = model_.parts[p];
    if (part.name != name && part.name.rfind(name + ".", 0) != 0) continue;
    found = true;
    const auto number = static_cast<int>(p);
    for (const auto& e : model_.shell_elements)
      if (e.part == number) add_wall(model_, e, faces);
    add_solids(model_, number, faces);
    for (std::size_t e = 0; e < model_.line_elements.size(); ++e)
      if (model_.line_elements[e].part == number) lay_member(model_, static_cast<int>(e), faces);
    for (const auto& e : model_.bar_elements)
      if (e.part == number) lay_bar(model_, e, faces);
    if (!edges || part.kind != model::PartKind::panel) continue;
    if (part.offset_z != 0)
      complain(place,
               fmt::format("'{}' lies beside its nodes by an offset, and its edges touch where these are", part.name),
               "leave out edge_contact = true, or give the panel no offset");
    lay_edges(model_, number, faces);
  }
  if (!found)
    complain(place, fmt::format("no part is called '{}'", name), base::suggestion(name, names_of(model_.parts)));
  return faces;
}

void ContactBuilder::contacts() {
  for (const auto& spec : spec_.contacts) add_contact(spec);
  for (const auto& bond : spec_.bonds)
    if (bond.contact) add_contact(in_place_of(bond));
  if (!model_.contacts.empty())
    model_.remarks.push_back(
        "contact between parts acts on paths with large displacements; LA, LBA from the unloaded structure and MNA do not "
        "see it");
}

/// The part that a bond's nodes belong to.
std::string ContactBuilder::follower_of(const BondSpec& bond) {
  std::string part;
  const auto nodes = nodes_at(bond.follow, "this bond");
  model_.each_element([&](const int* first, const int* last, int p) {
    if (part.empty() && p >= 0 && model_.parts[base::at(p)].name != bond.to && !nodes.empty() &&
        std::find(first, last, nodes[0]) != last)
      part = model_.parts[base::at(p)].name;
  });
  return part;
}

/// What a bond is on paths, when it says so.
ContactSpec ContactBuilder::in_place_of(const BondSpec& bond) {
  ContactSpec spec;
  spec.name = bond.name;
  spec.place = bond.place;
  spec.close_gaps = spec.overlap_is_free = true;  // what is bonded lies against each other
  spec.leads = bond.to;
  spec.between = {follower_of(bond), bond.to};
  return spec;
}

void ContactBuilder::add_contact(const ContactSpec& spec) {
  model::Contact contact;
  contact.name = spec.name;
  contact.friction = spec.friction;
  for (const auto& name : spec.within) {
    const auto faces = faces_of(name, spec.edges, spec.place);
    contact.followers.insert(contact.followers.end(), faces.begin(), faces.end());
  }
  if (spec.within.empty()) {
    auto one = faces_of(spec.between[0], spec.edges, spec.place),
         other = faces_of(spec.between[1], spec.edges, spec.place);
    if (one.empty() || other.empty()) return;
    if (spec.between[0] == spec.between[1])
      return complain(spec.place, fmt::format("contact '{}' is between '{}' and itself", spec.name, spec.between[0]),
                      fmt::format("write self_contact = \"{}\"", spec.between[0]));
    for (const auto& bond : spec_.bonds) {
      const auto part = follower_of(bond);
      if (!bond.contact && ((part == spec.between[0] && bond.to == spec.between[1]) ||
                            (part == spec.between[1] && bond.to == spec.between[0])))
        return complain(spec.place, fmt::format("'{}' and '{}' are bonded by '{}'", part, bond.to, bond.name),
                        "leave one of the two out; on_paths = \"contact\" at the bond lets them touch on paths alone");
    }
    // the side with the larger faces leads, so that none of its corners lies between the knots unseen
    const double size = mean_size(model_, one), than = mean_size(model_, other);
    const bool first_leads = spec.leads.empty() ? size > than * (1 + 1e-6) : spec.leads == spec.between[0];
    contact.followers = std::move(first_leads ? other : one);
    contact.leaders = std::move(first_leads ? one : other);
  }
  if (contact.followers.empty()) return;
  look_at_gaps(spec, contact);
  model_.contacts.push_back(std::move(contact));
}

/// What overlaps before anything acts is refused, or free of force, and reported.
void ContactBuilder::look_at_gaps(const ContactSpec& spec, model::Contact& contact) {
  model::Model alone = model_;
  alone.contacts = {contact};
  const elements::SurfaceContact surfaces(alone);
  std::vector<double> knots, pairs;
  surfaces.start_memory(knots, pairs);
  const auto state = elements::State::reference(model_);
  const auto touches = surfaces.touches({state, knots, pairs});
  int inside = 0, gaps = 0;
  double deepest = 0, widest = 0, least = HUGE_VAL;
  Vec3 place = Vec3::Zero();
  const double rounding = kRoundingOfContacts * model_.size();
  for (std::size_t k = 0; k < touches.size(); ++k) {
    if (!(touches[k].weight > 0)) continue;
    least = std::min(least, touches[k].gap);
    if (touches[k].gap < -rounding) {
      ++inside;
      if (-touches[k].gap > deepest)
        deepest = -touches[k].gap, place = model_.nodes[base::at(surfaces.knot(static_cast<int>(k)).node)];
    } else if (touches[k].gap > rounding) {
      ++gaps;
      widest = std::max(widest, touches[k].gap);
    }
  }
  const auto part = [&](const std::vector<ContactFace>& faces) {
    return model_.parts[base::at(faces.front().part)].name;
  };
  model_.remarks.push_back(fmt::format(
      "contact '{}': {}; {}", spec.name,
      contact.within() ? fmt::format("{} faces and pieces of lines may touch each other", contact.followers.size())
                       : fmt::format("'{}' follows '{}'", part(contact.followers), part(contact.leaders)),
      least < HUGE_VAL ? fmt::format("least gap before anything acts {:.4g}", std::abs(least) > rounding ? least : 0.0)
                       : "none lie near each other before anything acts"));
  contact.close_gaps = spec.close_gaps;
  contact.overlap_is_free = spec.overlap_is_free;
  if (inside > 0 && !spec.overlap_is_free)
    complain(spec.place,
             fmt::format("contact '{}': faces overlap before anything acts, by up to {:.4g} at ({:.5g}, {:.5g}, "
                         "{:.5g}) and {} nodes in all",
                         spec.name, deepest, place.x(), place.y(), place.z(), inside),
             "move the parts apart (walls have their thickness), or set "
             "initial_penetration = \"stress-free\"");
  if (inside > 0 && spec.overlap_is_free)
    model_.remarks.push_back(
        fmt::format("contact '{}': faces overlap by up to {:.4g} around {} nodes; that much is "
                    "free of force",
                    spec.name, deepest, inside));
  if (gaps > 0 && spec.close_gaps)
    model_.remarks.push_back(
        fmt::format("contact '{}': gaps of up to {:.4g} around {} nodes count as closed", spec.name, widest, gaps));
}

}  // namespace archway::study::detail
