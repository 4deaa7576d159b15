#include "archway/analysis/record_fields.hpp"

#include <cmath>

namespace archway::analysis {

using base::Dimension;
using base::FieldValue;

const base::Fields<Increment>& increment_fields() {
  using I = const Increment&;
  static const base::Fields<Increment> fields = {
      {"number", Dimension::none, "counted from the unloaded structure", [](I i) { return i.number; }},
      {"event", Dimension::none,
       "none, preload, limit point, bifurcation, change of contact, jump or the beginning of a stage",
       [](I i) { return std::string(to_text(i.event)); }},
      {"stage", Dimension::none, "of the path, from 0", [](I i) { return i.stage; }},
      {"load_factor", Dimension::load_factor, "of the variable loads, those of the stage",
       [](I i) { return i.load_factor; }},
      {"uncertainty", Dimension::load_factor,
       "of a bifurcation: it lies between the load factor less this and the load factor",
       [](I i) { return i.uncertainty; }},
      {"utilisation", Dimension::share, "largest stress over the yield stress of its material; null: none is given",
       [](I i) { return i.utilisation > 0 ? FieldValue(i.utilisation) : FieldValue(); }},
      {"largest_displacement", Dimension::length, "of any node", [](I i) { return i.largest_displacement; }},
      {"external_work", Dimension::work, "of loads and moved supports since the beginning, by the trapezoidal rule",
       [](I i) { return i.external_work; }},
      {"stored_energy", Dimension::work, "of all elements: what comes back when it is unloaded",
       [](I i) { return i.stored_energy; }},
      {"dissipated_energy", Dimension::work, "that flow and slip have used up until here; never falls",
       [](I i) { return i.dissipated_energy; }},
      {"energy_gap", Dimension::work,
       "external work less what stored and dissipated energy have grown by: errors of the steps; null: temperatures "
       "change, which do work of their own",
       [](I i) { return std::isfinite(i.energy_gap) ? FieldValue(i.energy_gap) : FieldValue(); }},
      {"plastic_strain", Dimension::share, "largest equivalent plastic strain of any point; null: no material flows",
       [](I i) { return i.flow.empty() ? FieldValue() : FieldValue(i.plastic_strain); }},
      {"iterations", Dimension::none, "of Newton's method", [](I i) { return i.iterations; }},
      {"cut_backs", Dimension::none, "how often the step was cut", [](I i) { return i.cut_backs; }},
      {"residual", Dimension::share, "largest unbalanced force or moment that is left", [](I i) { return i.residual; }},
      {"imbalance", Dimension::force, "size of the sum of all loads and reactions",
       [](I i) { return (i.applied.force + i.reacted.force).norm(); }},
      {"step", Dimension::arc, "arc length, or change of load factor, that led here", [](I i) { return i.step; }},
      {"negative_pivots", Dimension::none, "directions in which the tangent is unstable; 0: stable",
       [](I i) { return i.negative_pivots; }},
      {"lowest_eigenvalue", Dimension::share,
       "least eigenvalue of the tangent over that of the first state; null: not asked for (watch_stability)",
       [](I i) { return std::isfinite(i.softest) ? FieldValue(i.softest) : FieldValue(); }},
      {"given_off", Dimension::work,
       "of a jump: work of the loads less what stored and dissipated energy have grown by; what a real structure gives "
       "off in motion, for loads that keep their direction",
       [](I i) { return i.given_off; }},
      {"counted_by_own_factor", Dimension::none,
       "true: counted by a factorisation of this state's tangent; false: by one close by, checked",
       [](I i) { return i.counted; }},
      {"parent", Dimension::none, "the increment whose state this one was reached from; null: none",
       [](I i) { return i.parent < 0 ? FieldValue() : FieldValue(i.parent); }},
      {"forces_corrected", Dimension::none,
       "true: forces hold a last correction that is below the digits of displacements (stiff parts)",
       [](I i) { return i.forces_corrected; }}};
  return fields;
}

const base::Fields<Mode>& mode_fields() {
  using M = const Mode&;
  static const base::Fields<Mode> fields = {
      {"load_factor", Dimension::load_factor, "critical, of the variable loads", [](M m) { return m.load_factor; }},
      {"residual", Dimension::share, "of the eigenvalue problem, measured again at the end",
       [](M m) { return m.residual; }},
      {"strain", Dimension::share,
       "of the preload at the mode's own critical load, above which half of the mode's energy lies",
       [](M m) { return m.strain; }},
      {"repeated", Dimension::none, "within 0.01 % of a neighbour: one of a pair", [](M m) { return m.repeated; }},
      {"close_to_next", Dimension::none, "within 1 % of the next factor", [](M m) { return m.close_to_next; }}};
  return fields;
}

const base::Fields<ModeReading>& reading_fields() {
  using R = const ModeReading&;
  static const base::Fields<ModeReading> fields = {
      {"held_share", Dimension::share, "stiffness that the constant part takes away (below zero) or adds",
       [](R r) { return r.held_share; }},
      {"joint_displacement", Dimension::share,
       "largest displacement of nodes that several parts share, over the largest of all",
       [](R r) { return r.joint_displacement; }},
      {"joint_coherence", Dimension::share, "1 when these all move one way (sway)",
       [](R r) { return r.joint_coherence; }},
      {"rigid_share", Dimension::share,
       "of the section's displacement, what a rigid displacement explains; low: distortional",
       [](R r) { return r.rigid_share; }},
      {"twist_share", Dimension::share, "of that, rigid-body rotation", [](R r) { return r.twist_share; }},
      {"bending_about_y", Dimension::share, "of the strain energy of members", [](R r) { return r.bend_y; }},
      {"bending_about_z", Dimension::share, "of the strain energy of members", [](R r) { return r.bend_z; }},
      {"torsion", Dimension::share, "of the strain energy of members, with warping", [](R r) { return r.torsion; }},
      {"chord_rotation", Dimension::share, "1 when the chords of members rotate with the frame, 0 when joints stay",
       [](R r) { return r.chord_rotation; }},
      {"mesh_error", Dimension::share, "of the load factor, estimated", [](R r) { return r.mesh_error; }}};
  return fields;
}

const base::Fields<EffectiveLength>& effective_length_fields() {
  using L = const EffectiveLength&;
  static const base::Fields<EffectiveLength> fields = {
      {"mode", Dimension::none, "from 1; where only one is reported, the first in which the member takes part; 0: none",
       [](L l) { return l.mode + 1; }},
      {"length", Dimension::length, "of the member", [](L l) { return l.length; }},
      {"share", Dimension::share, "of what drives the mode (about a state of a path: of its strain energy)",
       [](L l) { return l.share; }},
      {"bend_y", Dimension::share,
       "of the member's bending energy in the mode, about its y axis, or the major principal axis",
       [](L l) { return l.bend_y; }},
      {"bend_z", Dimension::share,
       "of the member's bending energy in the mode, about its z axis, or the minor principal axis",
       [](L l) { return l.bend_z; }},
      {"axial", Dimension::force, "at the most compressed place at that mode's critical load, tension positive",
       [](L l) { return -l.axial; }},
      {"about_y", Dimension::length, "effective length for bending about y, or the major principal axis",
       [](L l) { return l.about_y; }},
      {"about_z", Dimension::length, "effective length for bending about z, or the minor principal axis",
       [](L l) { return l.about_z; }},
      {"principal_axes", Dimension::none, "true: of a section with a product moment, about its principal axes",
       [](L l) { return l.principal; }},
      {"slenderness", Dimension::none,
       "relative, sqrt(yield / largest compressive stress at the critical load); 0: no yield stress is given",
       [](L l) { return l.slenderness; }},
      {"at_factor_one", Dimension::force, "at the most compressed place at load factor 1, tension positive",
       [](L l) { return -l.at_factor_one; }},
      {"reduction", Dimension::none, "chi of the member's buckling curve; 0: none is chosen",
       [](L l) { return l.reduction; }},
      {"resistance", Dimension::force,
       "chi A yield of the section with the largest compressive stress, without a partial factor; 0: no curve is "
       "chosen",
       [](L l) { return l.resistance; }}};
  return fields;
}

}  // namespace archway::analysis
