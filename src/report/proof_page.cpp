#include "report/proof_page.h"

#include "inspect/uncertainty.h"
#include "report/page_tables.h"
#include "report/theme.h"

#include <QObject>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

namespace report
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QString percent(double share)
{
    return QString::number(100 * share, 'f', share < 0.0995 ? 1 : 0) + QStringLiteral(" %");
}
QString size(double v) { return QString::number(v, 'g', v >= 1 ? 3 : 2); }
QString labelOf(const proof::Detection& d)
{
    const auto* kind = proof::findFault(d.kind);
    return kind ? q(kind->label) : q(d.kind);
}
QString named(int balloon, const std::string& name)
{
    return (balloon > 0 ? QString::number(balloon) + QLatin1Char(' ') : QString()) + q(name);
}
} // namespace

QString sureText(const proof::Sureness& s)
{
    return QString::fromStdString(base::toText(s.value, base::decimals(s.unit)) + " ± " +
                                  inspect::uncertaintyText(s.uncertainty, s.unit) + " " + base::symbol(s.unit))
        .trimmed();
}
Qt::PenStyle dashOf(int curve)
{
    constexpr Qt::PenStyle kDashes[] = {Qt::SolidLine, Qt::DashLine, Qt::DotLine, Qt::DashDotLine, Qt::DashDotDotLine};
    return kDashes[curve % 5];
}
QString levelText(const proof::Cell& c)
{
    const auto* kind = proof::findChange(c.change);
    const QString sign = c.change == "darker"     ? QStringLiteral("−")
                         : c.change == "brighter" ? QStringLiteral("+")
                                                  : QString();
    return sign +
           QString::number(c.level, 'f',
                           c.level < 2    ? 2
                           : c.level < 10 ? 1
                                          : 0) +
           QLatin1Char(' ') + q(kind ? kind->unit : "");
}

std::vector<Fact> approvalFacts(const proof::Proof& p, const recipe::Recipe& recipe)
{
    using State = Fact::State;
    std::vector<Fact> out;
    const auto add = [&](State s, const QString& what, const QString& detail, const QString& figure) {
        out.push_back({s, what, detail, figure});
    };
    add(p.agree == p.trials ? State::Good : State::Bad, QObject::tr("Trials agree"),
        QObject::tr("%1 good, %2 bad").arg(p.good).arg(p.bad), QObject::tr("%1 of %2").arg(p.agree).arg(p.trials));
    const int cells = p.strain.cells(), weak = p.strain.shortCells();
    if (cells == 0)
        add(State::NotKnown, QObject::tr("Holds under strain"), QObject::tr("no trial it could be tried on"),
            QObject::tr("unknown"));
    else {
        const auto& least = p.strain.rows.front();
        add(weak == 0 ? State::Good : State::Bad, QObject::tr("Holds under strain"),
            QObject::tr("weakest %1 × (%2)").arg(least.reserve(), 0, 'f', 1).arg(named(least.balloon, least.name)),
            QObject::tr("%1 of %2").arg(cells - weak).arg(cells));
    }
    int asked = 0, met = 0, gaps = 0;
    QString late, lost;
    for (const auto& d : p.faults) {
        if (d.asked) {
            ++asked, met += d.met();
            if (!d.met() && late.isEmpty())
                late = QObject::tr("%1 %2, asked %3 %4")
                           .arg(labelOf(d), d.bound ? size(*d.bound) : QObject::tr("not found"), size(*d.asked),
                                q(base::symbol(d.unit)));
        }
        if (d.gap) ++gaps, lost += (lost.isEmpty() ? QString() : QStringLiteral(", ")) + labelOf(d);
    }
    if (p.faults.empty())
        add(State::NotKnown, QObject::tr("Planted faults"),
            QObject::tr("none could be planted: no good trial, or no outline"), QObject::tr("unknown"));
    else {
        add(asked == 0     ? State::NotKnown
            : asked == met ? State::Good
                           : State::Bad,
            QObject::tr("Planted faults asked"),
            asked == 0       ? QObject::tr("no size is asked for")
            : late.isEmpty() ? QObject::tr("all found from the size asked on")
                             : late,
            asked == 0 ? QObject::tr("–") : QObject::tr("%1 of %2").arg(met).arg(asked));
        add(gaps == 0 ? State::Good : State::Bad, QObject::tr("Gaps"),
            gaps == 0 ? QObject::tr("every kind is seen by some check") : QObject::tr("no check sees: %1").arg(lost),
            QString::number(gaps));
    }
    int sure = 0, of = 0;
    for (const auto& s : p.sure)
        if (s.share) ++of, sure += recipe.proof.uncertaintyShare <= 0 || *s.share <= recipe.proof.uncertaintyShare;
    if (of == 0)
        add(State::NotKnown, QObject::tr("Uncertainty"), QObject::tr("no value with two limits knows its own"),
            QObject::tr("unknown"));
    else
        add(sure == of ? State::Good : State::Bad, QObject::tr("Uncertainty"),
            QObject::tr("under %1 of the tolerance").arg(percent(recipe.proof.uncertaintyShare)),
            QObject::tr("%1 of %2").arg(sure).arg(of));
    // The checks' own expectation, and what so few trials can say at all.
    double rejected = 0;
    int known = 0, rests = 0;
    for (const auto& m : p.margins.checks)
        if (m.rejected)
            rejected = 1 - (1 - rejected) * (1 - std::min(1.0, *m.rejected)), ++known, rests = std::max(rests, m.good);
    if (known == 0)
        add(State::NotKnown, QObject::tr("Good rejected"), QObject::tr("%1 good trials; 5 needed").arg(p.margins.good),
            QObject::tr("unknown"));
    else
        add(p.margins.rejectedGood == 0 && rejected < 0.05 ? State::Good : State::Bad, QObject::tr("Good rejected"),
            QObject::tr("from the spread of %1; counted: up to %2").arg(rests).arg(percent(p.margins.goodBound)),
            percent(rejected));
    if (p.margins.passedBad > 0)
        add(State::Bad, QObject::tr("Bad accepted"),
            QObject::tr("%1 of %2 bad trials pass").arg(p.margins.passedBad).arg(p.margins.bad),
            percent(double(p.margins.passedBad) / p.margins.bad));
    else
        add(p.margins.badBound <= 0.05 ? State::Good : State::NotKnown, QObject::tr("Bad accepted"),
            p.margins.badBound <= 0.05 ? QObject::tr("none of %1").arg(p.margins.bad)
                                       : QObject::tr("%1 bad trials; %2 needed for 5 %")
                                             .arg(p.margins.bad)
                                             .arg(proof::Margins::neededFor(0.05)),
            p.margins.badBound <= 0.05 ? QObject::tr("up to %1").arg(percent(p.margins.badBound))
                                       : QObject::tr("unknown"));
    return out;
}

void paintStrainCell(QPainter& p, QRectF box, const proof::Cell& c, bool printed)
{
    const Theme& th = printed ? lightTheme() : theme();
    p.setRenderHint(QPainter::Antialiasing);
    // The post, what is expected, stands at half of the way; a bar ends at twice that.
    const double wide = box.width() - 34, most = 2, y = box.center().y();
    const auto x = [&](double reserve) { return box.left() + wide * std::clamp(reserve / most, 0.0, 1.0); };
    const double reserve = c.reserve().value_or(0), post = x(1), end = x(reserve);
    const bool holds = c.holds();
    const QColor colour = holds ? th.pass : th.fail;
    if (holds) {
        p.setPen(QPen(colour, 1)), p.setBrush(th.passGround);
        p.drawRect(QRectF(box.left(), y - 3, post - box.left(), 6));
        p.setPen(Qt::NoPen), p.setBrush(colour);
        p.drawRect(QRectF(post, y - 3.5, std::max(0.0, end - post), 7));
        if (c.turn == proof::Turn::Held) {
            QPainterPath tip;
            tip.moveTo(end, y - 6), tip.lineTo(end + 7, y), tip.lineTo(end, y + 6), tip.closeSubpath();
            p.drawPath(tip);
        }
    } else {
        p.setPen(QPen(colour, 1.4)), p.setBrush(Qt::NoBrush);
        p.drawLine(QPointF(box.left(), y - 2.5), QPointF(end, y - 2.5)),
            p.drawLine(QPointF(box.left(), y + 2.5), QPointF(end, y + 2.5));
        drawCross(p, QRectF(end - 4, y - 4, 8, 8), colour, 1.8);
    }
    p.setPen(QPen(th.ink, 1.8));
    p.drawLine(QPointF(post, box.top() + 4), QPointF(post, box.bottom() - 4));
    if (c.turn == proof::Turn::Held) return;
    const QPointF mark(holds ? end + 8 : post + 9, y);
    p.setPen(QPen(th.ink, 1.2));
    if (c.turn == proof::Turn::NotMeasured) {
        hatch(p, QRectF(mark.x() - 4, y - 4, 8, 8), th.notMeasured, 3);
        p.setBrush(Qt::NoBrush), p.drawRect(QRectF(mark.x() - 4, y - 4, 8, 8));
    } else {
        p.setBrush(c.turn == proof::Turn::BadAccepted ? QBrush(th.ink) : QBrush(th.paper));
        p.drawEllipse(mark, 3.8, 3.8);
    }
    if (!holds) {
        p.setPen(th.fail);
        p.setFont(printed ? printFont(8.5) : uiFont(12));
        p.drawText(QRectF(mark.x() + 6, box.top(), box.right() - mark.x() + 20, box.height()),
                   Qt::AlignVCenter | Qt::AlignLeft | Qt::TextDontClip,
                   box.right() - mark.x() - 6 < p.fontMetrics().horizontalAdvance(levelText(c)) - 14
                       ? levelText(c).section(QLatin1Char(' '), 0, 0)
                       : levelText(c));
    }
}

void paintDetections(QPainter& p, QRectF box, const std::vector<proof::Detection>& faults, bool printed)
{
    const Theme& th = printed ? lightTheme() : theme();
    const auto font = [&](double px) { return printed ? printFont(px * 0.8) : uiFont(int(px)); };
    p.setRenderHint(QPainter::Antialiasing);
    p.setFont(font(12));
    double least = 1e300, most = 0;
    QString unit;
    for (const auto& d : faults)
        for (const auto& t : d.sizes)
            if (t.size > 0)
                least = std::min(least, t.size), most = std::max(most, t.size), unit = q(base::symbol(d.unit));
    const QRectF plot(box.left() + 34, box.top() + 8, box.width() - 46, box.height() - 30);
    p.setPen(QPen(th.rule, 1)), p.setBrush(th.raised);
    p.drawRect(plot);
    if (!(most > least)) {
        p.setPen(th.second);
        p.drawText(plot, Qt::AlignCenter | Qt::TextWordWrap, QObject::tr("no fault of any size could be planted"));
        return;
    }
    const auto at = [&](double s, double share) {
        return QPointF(plot.left() + plot.width() * std::log(s / least) / std::log(most / least),
                       plot.bottom() - plot.height() * share * 0.96);
    };
    p.setPen(th.second);
    for (const double share : {0.0, 0.5, 0.9})
        p.drawText(QRectF(box.left() - 6, at(least, share).y() - 9, 34, 18), Qt::AlignRight | Qt::AlignVCenter,
                   QString::number(100 * share, 'f', 0));
    p.setPen(QPen(th.ink, 0.8, Qt::DashLine));
    p.drawLine(at(least, 0.9), at(most, 0.9));
    p.setPen(th.second);
    for (int i = 0; i <= 3; ++i) {
        const double s = least * std::pow(most / least, i / 3.0);
        p.drawText(QRectF(at(s, 0).x() - 45, plot.bottom() + 3, 90, 16),
                   i == 0   ? Qt::AlignHCenter
                   : i == 3 ? Qt::AlignRight
                            : Qt::AlignHCenter,
                   size(s) + (i == 3 ? QLatin1Char(' ') + unit : QString()));
    }
    std::vector<QRectF> names;
    int n = 0;
    for (const auto& d : faults) {
        if (d.sizes.size() < 2) continue;
        const Qt::PenStyle dash = dashOf(n++);
        QPolygonF curve;
        if (d.width > 0)
            for (int i = 0; i <= 80; ++i) {
                const double s = least * std::pow(most / least, i / 80.0);
                curve << at(s, d.shareAt(s));
            }
        p.setPen(QPen(th.ink, 1.4, dash)), p.setBrush(Qt::NoBrush);
        p.drawPolyline(curve);
        QPointF mark = d.size90          ? at(*d.size90, 0.9)
                       : curve.isEmpty() ? at(most, d.sizes.back().share())
                                         : curve.back();
        if (d.size90) {
            p.setPen(QPen(d.met() ? th.pass : th.fail, 2)), p.setBrush(th.paper);
            p.drawEllipse(mark, 4, 4);
        }
        if (plot.height() < 150 && !printed) continue; // the list beside it names the dashes
        // Its name where the curve is steep, clear of the others.
        const double half = d.width > 0 ? std::clamp(std::exp(d.middle), least, most) : most;
        const QString text = labelOf(d);
        QRectF label(at(half, 0.5) + QPointF(5, -8), QSizeF(p.fontMetrics().horizontalAdvance(text) + 4, 16));
        if (label.right() > plot.right()) label.moveRight(at(half, 0.5).x() - 5);
        for (int tries = 0; tries < 12 && std::any_of(names.begin(), names.end(),
                                                      [&](const QRectF& r) { return r.intersects(label); });
             ++tries)
            label.translate(0, 15);
        if (label.bottom() > plot.bottom()) label.moveBottom(plot.bottom() - 2);
        names.push_back(label);
        p.setPen(Qt::NoPen), p.setBrush(QColor(th.raised.red(), th.raised.green(), th.raised.blue(), 210));
        p.drawRect(label);
        p.setPen(d.gap ? th.fail : th.ink);
        p.drawText(label, Qt::AlignVCenter, text);
    }
}

namespace
{
void addFact(Pages& pages, const Fact& f)
{
    pages.add(34, [f](QPainter& p, QRectF box) {
        const Theme& th = lightTheme();
        const QRectF sign(box.left() + 2, box.top() + 6, 12, 12);
        if (f.state == Fact::State::Good) drawTick(p, sign, th.pass, 2);
        else if (f.state == Fact::State::Bad) drawCross(p, sign, th.fail, 2);
        else hatch(p, sign, th.notMeasured, 3);
        p.setFont(printFont(11, true)), p.setPen(th.ink);
        p.drawText(QRectF(box.left() + 24, box.top() + 2, box.width() * 0.6, 16), Qt::AlignVCenter, f.what);
        p.setPen(f.state == Fact::State::Good ? th.pass : f.state == Fact::State::Bad ? th.fail : th.ink);
        p.drawText(QRectF(box.left(), box.top() + 2, box.width() - 4, 16), Qt::AlignVCenter | Qt::AlignRight, f.figure);
        p.setFont(printFont(9.5)), p.setPen(th.second);
        p.drawText(QRectF(box.left() + 24, box.top() + 17, box.width() - 30, 14), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(f.detail, Qt::ElideRight, int(box.width() - 30)));
        rule(p, box, 0.4, th.hair);
    });
}
void addMatrix(Pages& pages, const proof::Proof& proof)
{
    const auto& s = proof.strain;
    if (s.rows.empty() || s.changes.empty()) return;
    pages.line(QObject::tr("Strain: how far each check holds"), 13, true);
    pages.text(QObject::tr("Post: what is expected on the line. Solid beyond it: the reserve. ○ a good part is "
                           "rejected, ● a bad one passes, hatched: not measured, arrow: held as far as tried."),
               9.5, lightTheme().second);
    // As many changes beside each other as the page takes.
    constexpr std::size_t kBeside = 6;
    for (std::size_t from = 0; from < s.changes.size(); from += kBeside) {
        const std::size_t to = std::min(s.changes.size(), from + kBeside);
        std::vector<Cell> head{{0.22, QObject::tr("check"), Qt::AlignLeft}, {0.06, QString()}};
        for (std::size_t k = from; k < to; ++k) {
            const auto* kind = proof::findChange(s.changes[k]);
            const proof::Cell& c = s.rows.front().cells[k];
            head.push_back({0.72 / kBeside,
                            (kind ? q(kind->label) : q(s.changes[k])) + QLatin1Char(' ') + size(c.expected) +
                                QLatin1Char(' ') + q(kind ? kind->unit : ""),
                            Qt::AlignLeft});
        }
        addHead(pages, head);
        for (const auto& r : s.rows)
            pages.add(20, [r, from, to](QPainter& p, QRectF box) {
                paintCells(p, box,
                           {{0.22, named(r.balloon, r.name), Qt::AlignLeft},
                            {0.06, QString::number(r.reserve(), 'f', 1) + QStringLiteral(" ×")}});
                for (std::size_t k = from; k < to; ++k) {
                    const double wide = 0.72 / kBeside * box.width();
                    paintStrainCell(p,
                                    QRectF(box.left() + 0.285 * box.width() + double(k - from) * wide, box.top(),
                                           wide - 6, box.height()),
                                    r.cells[k], true);
                }
            });
        pages.setHead(0, nullptr);
        pages.gap(8);
    }
}
} // namespace

base::Status writeProofPdf(const QString& path, const proof::Proof& proof, const recipe::Recipe& recipe,
                           const Approval& a, Paper paper)
{
    const QString heading = QObject::tr("Approval · %1, revision %2").arg(q(proof.recipe)).arg(proof.revision);
    Pages pages(paper, heading);
    pages.setTitleBlock(
        {q(proof.recipe), heading, QObject::tr("identity %1").arg(q(proof.identity.substr(0, 12))), madeAt()});
    addHeading(pages, heading, {});
    addFacts(pages, {{QObject::tr("recipe"), q(proof.recipe)},
                     {QObject::tr("revision"), QString::number(proof.revision)},
                     {QObject::tr("identity"), q(proof.identity.substr(0, 16))},
                     {QObject::tr("trials"), QObject::tr("%1 good, %2 bad").arg(proof.good).arg(proof.bad)},
                     {QObject::tr("proved"), a.proved + (proof.quick ? QObject::tr(" · quick") : QString())},
                     {QObject::tr("signed"),
                      a.by.isEmpty() ? QObject::tr("not signed") : a.by + QStringLiteral(" · ") + a.at}});
    pages.gap(8);
    for (const Fact& f : approvalFacts(proof, recipe)) addFact(pages, f);
    pages.gap(8);
    if (a.againstRevision > 0) {
        pages.line(QObject::tr("Against revision %1: %2 better, %3 worse")
                       .arg(a.againstRevision)
                       .arg(a.against.better.size())
                       .arg(a.against.worse.size()),
                   11, true);
        for (const auto& w : a.against.worse)
            pages.line(QObject::tr("worse: %1").arg(q(w)), 10, false, lightTheme().fail);
        for (const auto& b : a.against.better)
            pages.line(QObject::tr("better: %1").arg(q(b)), 10, false, lightTheme().pass);
        pages.gap(6);
    }
    const auto open =
        std::count_if(proof.open.begin(), proof.open.end(), [](const auto& o) { return o.reason.empty(); });
    pages.line(proof.open.empty() ? QObject::tr("No open points")
                                  : QObject::tr("%1 open points, %2 without a reason").arg(proof.open.size()).arg(open),
               13, true);
    for (const auto& o : proof.open) {
        pages.text(q(o.text), 10, o.reason.empty() ? lightTheme().fail : lightTheme().ink);
        pages.text(o.reason.empty() ? QObject::tr("    to do: %1").arg(q(o.remedy))
                                    : QObject::tr("    reason: %1 (%2)").arg(q(o.reason), q(o.by)),
                   9.5, lightTheme().second);
    }
    pages.newPage();
    addMatrix(pages, proof);
    if (!proof.faults.empty()) {
        pages.line(QObject::tr("Planted faults: share found, %"), 13, true);
        pages.add(210, [faults = proof.faults](QPainter& p, QRectF box) { paintDetections(p, box, faults, true); });
        addHead(pages, {{0.34, QObject::tr("fault"), Qt::AlignLeft},
                        {0.18, QObject::tr("found 9 of 10 from")},
                        {0.16, QObject::tr("95 % sure from")},
                        {0.14, QObject::tr("asked")},
                        {0.18, QObject::tr("planted")}});
        for (const auto& d : proof.faults) {
            int planted = 0, found = 0;
            for (const auto& t : d.sizes) planted += t.planted, found += t.found;
            const QString unit = QLatin1Char(' ') + q(base::symbol(d.unit));
            const bool sized = d.sizes.size() > 1;
            addRow(pages, {{0.34, labelOf(d) + (d.gap ? QObject::tr("  · gap") : QString()), Qt::AlignLeft, d.gap,
                            d.gap ? lightTheme().fail : QColor()},
                           {0.18, !sized     ? percent(double(found) / std::max(1, planted))
                                  : d.size90 ? size(*d.size90) + unit
                                             : QStringLiteral("–")},
                           {0.16, d.bound ? size(*d.bound) + unit : QStringLiteral("–")},
                           {0.14, d.asked ? size(*d.asked) + unit : QStringLiteral("–")},
                           {0.18, QString::number(planted)}});
        }
        pages.setHead(0, nullptr);
        pages.gap(10);
    }
    if (!proof.sure.empty()) {
        pages.line(
            QObject::tr(
                "How sure is a value: expanded uncertainty (k = 2) from the picture's noise and the calibration"),
            13, true);
        addHead(pages, {{0.34, QObject::tr("check"), Qt::AlignLeft},
                        {0.3, QObject::tr("value")},
                        {0.36, QObject::tr("of its tolerance")}});
        for (const auto& s : proof.sure)
            addRow(pages, {{0.34, named(s.balloon, s.name), Qt::AlignLeft},
                           {0.3, sureText(s)},
                           {0.36, s.share ? percent(*s.share) : QStringLiteral("–")}});
        pages.setHead(0, nullptr);
    }
    return pages.write(path);
}

} // namespace report
