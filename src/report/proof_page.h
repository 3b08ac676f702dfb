// proof_page.h - the approval of a recipe: one page of facts a quality person signs, with what is open and why it is
// none; the matrix of strain, planted faults and uncertainty behind it.
//
// Fails   as Pages::write.
#pragma once
#include "proof/proof.h"
#include "report/pages.h"

namespace report
{

struct Fact {
    enum class State { Good, Bad, NotKnown } state = State::Good;
    QString what, detail, figure;
};
// Agreement, strain, planted faults, gaps, uncertainty, good ones rejected, bad ones accepted; the same in window and
// page.
std::vector<Fact> approvalFacts(const proof::Proof& proof, const recipe::Recipe& recipe);

struct Approval {
    QString by, at; // empty: not signed
    QString proved; // when it was worked out, for people
    proof::Against against;
    int againstRevision = 0; // 0: nothing to compare with
};
base::Status writeProofPdf(const QString& path, const proof::Proof& proof, const recipe::Recipe& recipe,
                           const Approval& approval, Paper paper);

// One cell of the matrix: an outline up to what is expected, solid beyond it, at its end what turned.
void paintStrainCell(QPainter& p, QRectF box, const proof::Cell& cell, bool printed = false);
// Share found against size; kinds by dash and name, rings at 90 %.
void paintDetections(QPainter& p, QRectF box, const std::vector<proof::Detection>& faults, bool printed = false);
QString sureText(const proof::Sureness& s); // "25.982 ± 0.003 mm"
Qt::PenStyle dashOf(int curve);             // of the curves in their order, those of kinds without sizes left out
// "−14 %" of a cell that gives way.
QString levelText(const proof::Cell& cell);

} // namespace report
