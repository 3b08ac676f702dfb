#include "desktop/setup/trial_grid.h"

#include "inspect/labels.h"

#include <QFileInfo>
#include <algorithm>

namespace desktop
{
using namespace recipe;
using inspect::Verdict;

namespace
{
// As they were stated, with their unit where it is not the one the value is shown in.
QString limitsText(const Recipe& recipe, const Step& step, const Check& check)
{
    const bool own =
        std::any_of(check.elements.begin(), check.elements.end(), [](const Element& e) { return e.own.has_value(); });
    if (own) return QObject::tr("each its own");
    if (!check.limits.any())
        return check.match == Match::Place ? QObject::tr("%1 places").arg(check.elements.size())
                                           : QObject::tr("no limits");
    const StepKind* kind = findKind(step.kind);
    const OutputSpec* spec = kind ? kind->output(check.output) : nullptr;
    const base::Unit shown = spec ? base::shownAs(recipe.unitOf(step, *spec), recipe.shownIn) : check.limits.unit;
    // Beside the value they stand in its unit; the form says what was entered.
    const Limits limits = base::convertible(check.limits.unit, shown) ? check.limits.in(shown) : check.limits;
    QString text = QString::fromStdString(limits.text());
    if (shown != limits.unit) text += QStringLiteral(" ") + QString::fromUtf8(base::symbol(check.limits.unit));
    return text;
}
bool failsAnywhere(const Session& session, const std::string& step, const std::string& output)
{
    for (int t = 0; t < session.trialCount(); ++t)
        if (const auto* r = session.result(t))
            for (const auto& i : r->items)
                if (const auto* c = i.check(step, output);
                    c && (c->verdict == Verdict::Fail || c->verdict == Verdict::NotMeasured))
                    return true;
    return false;
}
} // namespace

void TrialGrid::addGroup(const Recipe& recipe, const std::string& datum)
{
    const auto* item = m_session.currentItem();
    const Draft* draft = m_session.draft();
    std::vector<std::string> features;
    std::vector<GridRow> checks;
    for (const Step& s : recipe.steps) {
        const StepKind* kind = findKind(s.kind);
        const bool head = s.id == datum;
        if ((!head && s.datum != datum) || !kind || (!head && kind->datum)) continue;
        const auto* result = item ? item->step(s.id) : nullptr;
        GridRow row;
        row.step = s.id;
        row.stepKind = kind;
        row.name = QString::fromStdString(s.name);
        row.inUse = s.inUse;
        row.letter = QString::fromStdString(s.letter);
        if (s.checks.empty() && !head) {
            features.push_back(s.id);
            continue;
        }
        if (head && s.checks.empty()) {
            row.kind = RowKind::Datum;
            row.value = result && result->state == inspect::State::Ok ? QStringLiteral("found") : QString();
            row.verdict = result && result->state == inspect::State::Ok ? Verdict::Unjudged : Verdict::NotMeasured;
            m_rows.push_back(row);
        }
        for (const Check& c : s.checks) {
            row.kind = head                                      ? RowKind::Datum
                       : draft && draft->offer().step.id == s.id ? RowKind::Draft
                                                                 : RowKind::Check;
            row.output = c.output;
            row.name = QString::fromStdString(c.name);
            row.balloon = c.balloon ? QString::number(c.balloon) : QString();
            const auto limits = inspect::limitsInValueUnit(recipe, s, c);
            row.limits = limitsText(recipe, s, c);
            row.flagged = c.limits.any() && !limits;
            row.folds = false, row.unfolded = false;
            row.value.clear(), row.unit.clear();
            row.verdict = Verdict::NotMeasured;
            if (item)
                if (const auto* answer = item->check(s.id, c.output)) {
                    row.verdict = answer->verdict;
                    if (answer->list) row.value = QString::fromStdString(answer->valueText());
                    else if (!answer->values.empty()) {
                        const QString whole = QString::fromStdString(answer->valueText()),
                                      unit =
                                          QString::fromUtf8(base::symbol(base::shownAs(answer->unit, answer->shownIn)));
                        row.value = unit.isEmpty() ? whole : whole.left(whole.size() - unit.size()).trimmed();
                        row.unit = unit;
                        if (const std::string u = answer->uncertaintyText(); m_uncertainty && !u.empty())
                            row.value += QLatin1Char(' ') + QString::fromStdString(u);
                    }
                }
            // Ticks are laid between the limits; without limits over the range of all trials.
            std::vector<double> values;
            for (int t = 0; t < m_session.trialCount(); ++t)
                if (const auto* r = m_session.result(t))
                    for (const auto& i : r->items)
                        if (const auto* answer = i.check(s.id, c.output))
                            values.insert(values.end(), answer->values.begin(), answer->values.end());
            tickRange(limits ? *limits : Limits{}, values, row.low, row.high);
            row.limited = limits && limits->any();
            auto dots = std::make_shared<std::vector<float>>();
            const std::size_t every = std::max<std::size_t>(1, values.size() / 300);
            for (std::size_t i = 0; i < values.size(); i += every)
                dots->push_back(float((values[i] - row.low) / (row.high - row.low)));
            row.dots = std::move(dots);
            if (m_onlyFailed && !head && !failsAnywhere(m_session, s.id, c.output)) continue;
            // A list opens into rows of its elements.
            const OutputSpec* spec = kind->output(c.output);
            int elements = 0;
            if (spec && spec->list)
                for (int t = 0; t < m_session.trialCount(); ++t)
                    if (const auto* r = m_session.result(t))
                        for (const auto& i : r->items)
                            if (const auto* answer = i.check(s.id, c.output))
                                elements = std::max(elements, int(answer->elements.size()));
            row.folds = elements > 0 && row.kind != RowKind::Datum;
            row.unfolded = row.folds && m_unfolded.count(s.id + "." + c.output);
            (head ? m_rows : checks).push_back(row);
            if (!row.unfolded) continue;
            addMap(s, c, head ? m_rows : checks);
            for (int e = 0; e < std::min(elements, 200); ++e) {
                GridRow one;
                one.kind = RowKind::Element;
                one.step = s.id, one.output = c.output, one.element = e, one.inUse = s.inUse;
                one.stepKind = kind;
                one.name =
                    (c.balloon ? QString::number(c.balloon) + QStringLiteral(".") : QString()) + QString::number(e + 1);
                if (e < int(c.elements.size()) && !c.elements[std::size_t(e)].name.empty())
                    one.name += QStringLiteral("  ") + QString::fromStdString(c.elements[std::size_t(e)].name);
                if (item)
                    if (const auto* answer = item->check(s.id, c.output); answer && e < int(answer->elements.size())) {
                        const auto& part = answer->elements[std::size_t(e)];
                        one.verdict = part.verdict;
                        const base::Unit unit = base::shownAs(answer->unit, answer->shownIn);
                        if (e >= int(c.elements.size()) && part.reason == "surplus") one.name = QObject::tr("surplus");
                        if (part.value >= 0) {
                            one.value = QString::fromStdString(base::toText(
                                base::converted(answer->values[std::size_t(part.value)], answer->unit, unit),
                                base::decimals(unit) + (unit == base::Unit::None ? 2 : 0)));
                            one.unit = QString::fromUtf8(base::symbol(unit));
                        } else {
                            one.value = QObject::tr("missing");
                        }
                        if (e < int(c.elements.size()) && c.elements[std::size_t(e)].own)
                            one.limits = QString::fromStdString(c.elements[std::size_t(e)].own->text());
                    }
                (head ? m_rows : checks).push_back(one);
            }
        }
        if (draft && draft->offer().step.id == s.id && s.checks.empty()) features.push_back(s.id);
    }
    if (!features.empty()) {
        GridRow line;
        line.kind = RowKind::FeaturesLine;
        line.step = datum;
        line.name = QObject::tr("features %1").arg(features.size());
        line.unfolded = m_unfolded.count(datum) > 0;
        m_features[int(m_rows.size())] = features;
        m_rows.push_back(line);
        for (const std::string& id : features) {
            const bool drafted = draft && draft->offer().step.id == id;
            if (!line.unfolded && !drafted) continue;
            const Step* s = recipe.find(id);
            GridRow row;
            row.kind = drafted ? RowKind::Draft : RowKind::Feature;
            row.step = id;
            row.stepKind = findKind(s->kind);
            row.name = QString::fromStdString(s->name);
            row.inUse = s->inUse;
            m_rows.push_back(row);
        }
    }
    m_rows.insert(m_rows.end(), checks.begin(), checks.end());
}

// Pictures in the order asked for; with items unfolded a column for each part, and one for each that is lost.
void TrialGrid::placeColumns()
{
    // What waits for its answer stays where it was.
    std::set<int> before;
    for (const Column& c : m_columns) before.insert(c.trial);
    m_columns.clear();
    const Recipe& recipe = m_session.recipe();
    std::vector<int> trials;
    for (int t = 0; t < m_session.trialCount(); ++t) {
        const auto* r = m_session.result(t);
        if (m_show != Show::All && !r && !before.count(t)) continue;
        if (m_show == Show::Failed && r && !r->rejected()) continue;
        if (m_show == Show::Disagreeing && r && m_session.agreement(t) != Session::Agreement::Disagrees) continue;
        trials.push_back(t);
    }
    const auto by = [&](auto key) {
        std::stable_sort(trials.begin(), trials.end(), [&](int a, int b) { return key(a) < key(b); });
    };
    const Check* check = m_session.selectedCheck();
    switch (m_order) {
    case Order::Taken: break;
    case Order::Label: by([&](int t) { return int(inspect::labelOf(recipe.trials[std::size_t(t)])); }); break;
    case Order::Name: by([&](int t) { return recipe.trials[std::size_t(t)].picture; }); break;
    case Order::Verdict:
        by([&](int t) {
            const auto* r = m_session.result(t);
            return !r ? 3 : r->rejected() ? 0 : r->accepted() ? 2 : 1;
        });
        break;
    case Order::Share: // what uses most of the tolerance first
        by([&](int t) {
            double most = -1;
            const auto* r = m_session.result(t);
            if (r && check)
                for (const auto& item : r->items)
                    if (const auto* c = item.check(m_session.selected(), check->output)) {
                        if (c->verdict == Verdict::NotMeasured) most = std::max(most, 1e9);
                        else most = std::max(most, c->share.value_or(c->verdict == Verdict::Fail ? 1e8 : 0));
                    }
            return -most;
        });
        break;
    }
    for (const int t : trials) {
        const auto* r = m_session.result(t);
        const int all = r && !r->error ? int(r->items.size()) : 0;
        if (!m_items || all < 2) {
            m_columns.push_back({t, -1});
            continue;
        }
        for (int i = 0; i < all; ++i) m_columns.push_back({t, i, !r->items[std::size_t(i)].pose, i == 0, true});
    }
}

int TrialGrid::columnOf(int trial, int item) const
{
    for (int c = 0; c < columns(); ++c)
        if (const Column& p = place(c); p.trial == trial && (p.item < 0 || p.item == item)) return c;
    return -1;
}

Label TrialGrid::labelOf(int c) const
{
    const Column& at = place(c);
    const Trial& t = m_session.recipe().trials[std::size_t(at.trial)];
    const auto* r = m_session.result(at.trial);
    if (at.item < 0 || !r || at.item >= int(r->items.size())) return inspect::labelOf(t);
    return inspect::labelsOf(m_session.recipe(), t, *r)[std::size_t(at.item)];
}

QString TrialGrid::columnWord(int c) const
{
    const Column& p = place(c);
    return p.item < 0 ? QObject::tr("trial %1").arg(p.trial + 1)
                      : QObject::tr("trial %1, item %2").arg(p.trial + 1).arg(p.item + 1);
}

void TrialGrid::rebuild()
{
    placeColumns();
    m_rows.clear();
    m_features.clear();
    const Recipe& r = m_session.prepared()->recipe();
    bool fixed = false;
    for (const Step& s : r.steps)
        if (const StepKind* k = findKind(s.kind)) {
            if (k->datum && (s.datum.empty() || !r.find(s.datum))) addTree(r, s.id, 0);
            else if (!k->datum && (s.datum.empty() || !r.find(s.datum))) fixed = true;
        }
    if (fixed) addFixed(r);
    bracketed();
    // Ties of the chosen row, both ways.
    const Step* chosen = r.find(m_session.draft() ? m_session.draft()->offer().step.id : m_session.selected());
    if (!chosen) return;
    std::set<std::string> read;
    for (const auto& [key, id] : chosen->inputs) read.insert(id);
    for (const auto& [key, of] : chosen->regionsOf) read.insert(of.step);
    const auto by = r.readBy(chosen->id);
    for (GridRow& row : m_rows) {
        if (row.kind == RowKind::FeaturesLine || row.kind == RowKind::FixedHead || row.element >= 0) continue;
        const Step* s = r.find(row.step);
        if (read.count(row.step)) row.tie = GridRow::Tie::Read;
        else if (s && s->datum != chosen->id && std::find(by.begin(), by.end(), row.step) != by.end())
            row.tie = GridRow::Tie::Reader;
    }
}

// Neighbouring checks of one step say several things of one place.
void TrialGrid::bracketed()
{
    std::vector<std::size_t> checks;
    for (std::size_t i = 0; i < m_rows.size(); ++i)
        if (m_rows[i].kind == RowKind::Check) checks.push_back(i);
    const auto alike = [&](std::size_t a, std::size_t b) {
        if (a >= checks.size() || b >= checks.size() || m_rows[checks[a]].step != m_rows[checks[b]].step) return false;
        for (std::size_t i = checks[a] + 1; i < checks[b]; ++i) // unfolded elements may stand between
            if (m_rows[i].step != m_rows[checks[a]].step) return false;
        return true;
    };
    using B = GridRow::Bracket;
    for (std::size_t i = 0; i < checks.size(); ++i) {
        const bool before = i > 0 && alike(i - 1, i), after = alike(i, i + 1);
        const B b = before && after ? B::Between : before ? B::Last : after ? B::First : B::None;
        m_rows[checks[i]].bracket = b;
        if (b == B::First || b == B::Between)
            for (std::size_t k = checks[i] + 1; k < checks[i + 1]; ++k) m_rows[k].bracket = B::Between;
    }
}

// Of a list whose elements lie in rows and columns: a picture of it in every column.
void TrialGrid::addMap(const Step& step, const Check& check, std::vector<GridRow>& to) const
{
    if (check.match != Match::Place) return;
    double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
    for (const Element& e : check.elements)
        if (e.at)
            left = std::min(left, e.at->x), right = std::max(right, e.at->x), top = std::min(top, e.at->y),
            bottom = std::max(bottom, e.at->y);
    if (std::min(right - left, bottom - top) < 0.15 * std::max(right - left, bottom - top)) return; // a mere row
    GridRow row;
    row.kind = RowKind::Map, row.step = step.id, row.output = check.output, row.inUse = step.inUse;
    row.name = QObject::tr("in their places");
    to.push_back(row);
}

std::vector<GridSpot> TrialGrid::spots(int r, int c) const
{
    const GridRow& row = m_rows[std::size_t(r)];
    const auto* result = m_session.result(place(c).trial);
    const Step* step = m_session.prepared()->recipe().find(row.step);
    std::vector<GridSpot> out;
    if (!result || result->error || !step) return out;
    const Check* check = nullptr;
    for (const Check& one : step->checks)
        if (one.output == row.output) check = &one;
    if (!check) return out;
    // Where they belong on the reference, in the datum's frame; of several parts the one that is worst.
    const auto reference = inspect::referencePose(m_session.prepared()->recipe(), step->datum);
    const geometry::Pose frame = reference.value_or(geometry::Pose{});
    double left = 1e300, top = 1e300, right = -1e300, bottom = -1e300;
    std::vector<geometry::Point> at;
    for (const Element& e : check->elements) {
        const geometry::Point p = e.at ? frame.toLocal(*e.at) : geometry::Point{};
        at.push_back(p);
        if (!e.at) continue;
        left = std::min(left, p.x), right = std::max(right, p.x), top = std::min(top, p.y),
        bottom = std::max(bottom, p.y);
    }
    const double size = std::max({right - left, bottom - top, 1e-9});
    const inspect::CheckResult* worst = nullptr;
    for (std::size_t i = 0; i < result->items.size(); ++i) {
        if (place(c).item >= 0 && int(i) != place(c).item) continue;
        const auto* answer = result->items[i].check(row.step, row.output);
        if (answer && (!worst || answer->failed().size() > worst->failed().size())) worst = answer;
    }
    if (!worst) return out;
    for (std::size_t i = 0; i < std::min(at.size(), worst->elements.size()); ++i) {
        if (!check->elements[i].at) continue;
        const auto& e = worst->elements[i];
        out.push_back({float((at[i].x - left) / size), float((at[i].y - top) / size), e.verdict, e.value < 0});
    }
    return out;
}

QImage TrialGrid::crop(int r, int c) const
{
    const Column& at = place(c);
    if (at.lost) return {};
    if (r < 0) return m_crops.spot(at.trial, at.item, {}, {});
    const GridRow& row = m_rows[std::size_t(r)];
    return row.output.empty() ? QImage() : m_crops.spot(at.trial, at.item, row.step, row.output);
}

// A datum with what follows it, then the datums found in it.
void TrialGrid::addTree(const Recipe& r, const std::string& datum, int depth)
{
    const std::size_t from = m_rows.size();
    addGroup(r, datum);
    for (std::size_t i = from; i < m_rows.size(); ++i) m_rows[i].depth = depth;
    if (depth > 20) return; // steps of a circle are refused long before
    for (const Step& s : r.steps)
        if (const StepKind* k = findKind(s.kind); k && k->datum && s.datum == datum) addTree(r, s.id, depth + 1);
}

void TrialGrid::addFixed(const Recipe& r)
{
    GridRow head;
    head.kind = RowKind::FixedHead;
    head.name = QObject::tr("fixed to the picture");
    m_rows.push_back(head);
    addGroup(r, "");
    for (const Step& s : r.steps)
        if (!s.datum.empty() && !r.find(s.datum)) { // its datum is gone; it stays and says so
            GridRow row;
            row.step = s.id, row.stepKind = findKind(s.kind), row.name = QString::fromStdString(s.name),
            row.verdict = Verdict::NotMeasured;
            row.limits = QObject::tr("input missing");
            if (!s.checks.empty())
                row.output = s.checks.front().output, row.balloon = QString::number(s.checks.front().balloon);
            m_rows.push_back(row);
        }
}

void TrialGrid::toggleFold(int row)
{
    const GridRow& r = m_rows[std::size_t(row)];
    const std::string id = r.kind == RowKind::FeaturesLine ? r.step : r.step + "." + r.output;
    if (!m_unfolded.erase(id)) m_unfolded.insert(id);
    rebuild();
}

int TrialGrid::rowOf(const std::string& step, const std::string& output, int element) const
{
    int first = -1, check = -1;
    for (int i = 0; i < rows(); ++i) {
        const GridRow& row = m_rows[std::size_t(i)];
        if (row.step != step || row.kind == RowKind::FeaturesLine || row.kind == RowKind::Map) continue;
        if (first < 0) first = i;
        if (row.output != output || output.empty()) continue;
        if (row.kind == RowKind::Element ? row.element == element : element < 0) return i;
        if (check < 0) check = i; // folded: the element's list stands for it
    }
    return check >= 0 ? check : first;
}

GridColumn TrialGrid::column(int c) const
{
    const Column& at = place(c);
    const Trial& t = m_session.recipe().trials[std::size_t(at.trial)];
    GridColumn out;
    out.head = QString::number(at.trial + 1);
    out.begins = at.begins, out.bracket = at.bracket, out.lost = at.lost;
    if (at.item >= 0) out.head += QStringLiteral(".") + QString::number(at.item + 1);
    const auto* r = m_session.result(at.trial);
    const Label said = labelOf(c);
    out.label = said == Label::Good ? report::Sign::Good : said == Label::Bad ? report::Sign::Bad : report::Sign::Open;
    out.flag = at.begins && m_session.agreement(at.trial) == Session::Agreement::Disagrees;
    const bool own = r && at.item >= 0 && inspect::ownLabel(m_session.recipe(), t, *r, at.item);
    if (at.item >= 0 && !own && !at.begins) out.label.reset(); // said of the picture, once
    if (own) {
        const auto outcome = r->items[std::size_t(at.item)].outcome;
        out.flag = said != Label::Open && outcome != inspect::Outcome::Unjudged &&
                   (outcome == inspect::Outcome::Accept) != (said == Label::Good);
    }
    out.answered = r && (r->error || !r->items.empty());
    out.error = r && r->error.has_value();
    // An answer that came since the columns were laid out may hold fewer parts.
    const bool there = r && at.item >= 0 && at.item < int(r->items.size());
    if (r) out.outcome = there ? r->items[std::size_t(at.item)].outcome : r->outcome();
    out.tip = QObject::tr("trial %1 · %2 · labelled %3")
                  .arg(at.trial + 1)
                  .arg(QFileInfo(QString::fromStdString(t.picture)).fileName(), QString::fromLatin1(name(said)));
    if (r)
        for (const std::string& w : r->warnings) out.tip += QStringLiteral("\n") + QString::fromStdString(w);
    if (r && r->error) out.tip += QStringLiteral("\n") + QString::fromStdString(*r->error);
    else if (r)
        for (const auto& item : r->items)
            if (!item.accepted()) out.tip += QStringLiteral("\n") + QString::fromStdString(item.sentence());
    return out;
}

GridCell TrialGrid::cell(int r, int c) const
{
    const GridRow& row = m_rows[std::size_t(r)];
    const auto* result = m_session.result(place(c).trial);
    if (row.kind == RowKind::FixedHead || row.kind == RowKind::Map) return {};
    const int item = place(c).item;
    if (place(c).lost) {
        GridCell gone;
        gone.asked = row.kind != RowKind::FeaturesLine;
        gone.verdict = Verdict::NotMeasured;
        gone.text = QObject::tr("this part was not found");
        return gone;
    }
    if (row.kind == RowKind::FeaturesLine) return featureCell(result, m_features.at(r), item);
    if (row.kind == RowKind::Element) return elementCell(result, row.step, row.output, row.element, item);
    if (row.output.empty()) return featureCell(result, {row.step}, item);
    return cellFor(result, row.step, row.output, row.low, row.high, item);
}

QString TrialGrid::verdictLine() const
{
    int labelled = 0, agrees = 0;
    for (int t = 0; t < m_session.trialCount(); ++t) {
        const auto a = m_session.agreement(t);
        labelled += a != Session::Agreement::None, agrees += a == Session::Agreement::Agrees;
    }
    const int pending = m_session.pending();
    if (pending > 0) return QObject::tr("Verdict · %1 of %2 trials to do").arg(pending).arg(m_session.trialCount());
    if (labelled == 0) return QObject::tr("Verdict · label trials: G good, B bad");
    return QObject::tr("Verdict · agrees with %1 of %2 labels").arg(agrees).arg(labelled);
}

QString TrialGrid::emptyHint() const
{
    if (m_session.trialCount() == 0)
        return QObject::tr("Rows will be the recipe's steps, columns the trials.\nAdd pictures first: drop them on the "
                           "window or press Ctrl+P.");
    return QObject::tr(
        "Each column is a picture. Steps drawn on the part become rows here\nand answer for every picture at once.");
}

} // namespace desktop
