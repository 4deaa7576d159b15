#pragma once
#include <memory>

#include "archway/elements/shell.hpp"

namespace archway::elements {

/// Shells of three and nine nodes, six degrees of freedom a node, total Lagrangian like ShellBatch. Their strains are
/// linear in a few measures, each a product of interpolated positions with positions, directors or in-plane axes that
/// nodal rotations carry; force, tangent and geometric stiffness follow from the measures alone. While elastic the
/// integration points (three and nine) are summed once and for all to blocks of stiffness on the measures; walls whose
/// points remember keep the points, and shear, drilling and other stabilisation stay elastic blocks.
///
/// Three nodes: bending and shear from edge measures as in the discrete-shear triangle ([Katili1993]: Kirchhoff when
/// thin, Reissner-Mindlin when thick), arranged so that meshes mixed with four-node elements pass the patch test;
/// membrane of the optimal triangle with drilling degrees of freedom ([Felippa2003]), whose parameters are fixed by
/// theory.
std::unique_ptr<ShellKind> three_node_shells(const model::Model& model);

/// Nine nodes: membrane, bending and shear strains tied at the points of [BucalemBathe1993]; the in-plane rotation of
/// the material is tied to the nodal rotations at the 2 x 2 Gauss points ([HughesBrezzi1989]), the remaining drilling
/// patterns weakly (ShellBatch::kDrillingRest).
std::unique_ptr<ShellKind> nine_node_shells(const model::Model& model);

}  // namespace archway::elements
