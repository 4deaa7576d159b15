#include "archway/model/joined.hpp"

#include <algorithm>
#include <cmath>
#include <optional>

namespace archway::model {

namespace {
/// A part of lines: its ends, and where it leaves them.
struct Piece {
  int part = -1;
  std::array<int, 2> end{-1, -1};
  std::array<Vec3, 2> away{Vec3::Zero(), Vec3::Zero()};  // unit, from the end into the part
  double length = 0;
  bool plain = true;  // one straight line of one profile
};

/// What a node is fixed to without any degree of freedom between, or itself.
int root_of(const Model& model, int node) {
  for (const auto& tie : model.ties)
    if (tie.follower == node && tie.kind == Tie::Kind::carried && tie.leaders.size() == 1 && tie.moves &&
        tie.rotations && tie.free_moves.empty() && tie.free_rotations.empty() &&
        (model.nodes[static_cast<std::size_t>(node)] - model.nodes[static_cast<std::size_t>(tie.leaders[0])])
            .isZero(1e-9 * model.size()))
      return root_of(model, tie.leaders[0]);
  return node;
}

std::vector<Piece> pieces_of(const Model& model) {
  constexpr double straight = 1e-6;  // of a length: an arc bows by more
  std::vector<Piece> by_part(model.parts.size());
  const auto x = [&](int node) { return model.nodes[static_cast<std::size_t>(node)]; };
  for (const auto& e : model.line_elements) {
    auto& piece = by_part[static_cast<std::size_t>(e.part)];
    const Vec3 along = x(e.nodes[3]) - x(e.nodes[0]);
    if (piece.part < 0) piece = {e.part, {e.nodes[0], -1}, {along.normalized(), Vec3::Zero()}, 0, true};
    if (piece.end[1] >= 0 && root_of(model, piece.end[1]) != root_of(model, e.nodes[0])) piece.plain = false;
    piece.end[1] = e.nodes[3];
    piece.away[1] = -along.normalized();
    piece.length += along.norm();
    const Vec3 bow = x(e.nodes[1]) - x(e.nodes[0]) - along / 3;
    piece.plain = piece.plain && e.profiles[0] < 0 && bow.norm() < straight * along.norm();
  }
  std::vector<Piece> pieces;
  for (auto& piece : by_part) {
    if (piece.part < 0 || model.parts[static_cast<std::size_t>(piece.part)].kind != PartKind::member) continue;
    const double apart = (x(piece.end[1]) - x(piece.end[0])).norm();
    piece.plain = piece.plain && piece.length - apart < straight * piece.length;
    for (int& end : piece.end) end = root_of(model, end);
    pieces.push_back(piece);
  }
  return pieces;
}

bool alike(const Model& model, const Piece& a, const Piece& b) {
  const auto &p = model.parts[static_cast<std::size_t>(a.part)], &q = model.parts[static_cast<std::size_t>(b.part)];
  return a.plain && b.plain && p.profile == q.profile && p.material == q.material && p.warping == q.warping &&
         p.offset_y == q.offset_y && p.offset_z == q.offset_z && p.rigid.any() == q.rigid.any() &&
         (p.up.normalized() - q.up.normalized()).norm() < 1e-6;
}

/// An end of a piece: piece and which end.
using End = std::pair<std::size_t, int>;

/// Pairs of ends that go straight on into each other.
std::map<End, End> straight_pairs(const Model& model, const std::vector<Piece>& pieces) {
  const double least = std::cos(M_PI / 180);
  std::map<int, std::vector<End>> at_node;
  for (std::size_t p = 0; p < pieces.size(); ++p)
    for (int k = 0; k < 2; ++k) at_node[pieces[p].end[static_cast<std::size_t>(k)]].emplace_back(p, k);
  const auto away = [&](const End& e) { return pieces[e.first].away[static_cast<std::size_t>(e.second)]; };
  const auto straightness = [&](const End& a, const End& b) {
    return a.first != b.first && alike(model, pieces[a.first], pieces[b.first]) ? -away(a).dot(away(b)) : -1.0;
  };
  std::map<End, End> pairs;
  for (const auto& [node, ends] : at_node)
    for (const auto& a : ends) {
      // each must be the one that the other goes on into most straightly; where two are as straight none is
      const auto best = [&](const End& from) -> const End* {
        const End* found = nullptr;
        double most = least, next = -1;
        for (const auto& b : ends) {
          const double s = straightness(from, b);
          if (s > most)
            next = found != nullptr ? most : next, most = s, found = &b;
          else
            next = std::max(next, s);
        }
        return found != nullptr && next > least && most - next < 1e-6 ? nullptr : found;
      };
      const End* b = best(a);
      if (b == nullptr) continue;
      const End* back = best(*b);
      if (back != nullptr && *back == a) pairs[a] = *b;
    }
  return pairs;
}

JoinedMember joined(const Model& model, const std::vector<Piece>& pieces, const std::vector<std::size_t>& order) {
  JoinedMember member;
  for (const std::size_t p : order) {
    member.parts.push_back(pieces[p].part);
    member.length += pieces[p].length;
  }
  const auto name = [&](int part) { return model.parts[static_cast<std::size_t>(part)].name; };
  member.name = name(member.parts.front());
  if (member.parts.size() > 1) member.name += " .. " + name(member.parts.back());
  return member;
}
}  // namespace

std::vector<JoinedMember> joined_members(const Model& model, const std::map<int, std::string>& named) {
  const auto pieces = pieces_of(model);
  std::vector<JoinedMember> list;
  std::vector<char> taken(pieces.size(), 0);
  std::map<std::string, std::vector<std::size_t>> by_name;
  for (std::size_t p = 0; p < pieces.size(); ++p)
    if (const auto found = named.find(pieces[p].part); found != named.end())
      by_name[found->second].push_back(p), taken[p] = 1;

  const auto pairs = straight_pairs(model, pieces);
  const auto next = [&](const End& from) -> std::optional<End> {
    const auto found = pairs.find(from);
    if (found == pairs.end() || taken[found->second.first]) return {};
    return End{found->second.first, 1 - found->second.second};
  };
  for (std::size_t p = 0; p < pieces.size(); ++p) {
    if (const auto found = named.find(pieces[p].part); found != named.end()) {
      if (by_name[found->second].front() != p) continue;
      list.push_back(joined(model, pieces, by_name[found->second]));
      list.back().name = found->second;
      continue;
    }
    if (taken[p]) continue;
    taken[p] = 1;
    std::vector<std::size_t> order = {p};
    for (const int side : {1, 0})
      for (auto end = next({p, side}); end; end = next(*end)) {
        taken[end->first] = 1;
        order.insert(side == 1 ? order.end() : order.begin(), end->first);
      }
    list.push_back(joined(model, pieces, order));
  }
  return list;
}

}  // namespace archway::model
