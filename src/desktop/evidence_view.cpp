#include "desktop/evidence_view.h"

#include "desktop/element_map.h"
#include "desktop/objects_view.h"
#include "desktop/pair_view.h"
#include "desktop/param_form.h"
#include "desktop/ties_line.h"
#include "desktop/turning_view.h"
#include "desktop/words.h"
#include "inspect/evidence_of.h"
#include "inspect/labels.h"
#include "recipe/calibration_file.h"
#include "recipe/naming.h"
#include "recipe/recipe_file.h"

#include <QScrollArea>
#include <QTimer>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

namespace desktop
{
using namespace recipe;
using report::theme;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
} // namespace

EvidenceView::EvidenceView(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName(QStringLiteral("evidence"));
    setAccessibleName(tr("Evidence"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 8, 0, 0);
    layout->setSpacing(2);
    m_plots = new QWidget(this);
    auto* plots = new QVBoxLayout(m_plots);
    plots->setContentsMargins(0, 0, 0, 0);
    plots->setSpacing(2);
    QBoxLayout* into = layout;
    const auto label = [&](const char* name, int px, bool bold) {
        auto* l = new QLabel(this);
        l->setObjectName(QLatin1String(name));
        l->setFont(report::uiFont(px, bold));
        l->setWordWrap(true);
        l->setProperty("aside", true);
        into->addWidget(l);
        return l;
    };
    m_title = label("evidenceTitle", 15, true);
    m_about = label("evidenceAbout", 12, false);
    m_ties = new TiesLine(this);
    m_ties->setObjectName(QStringLiteral("evidenceTies"));
    m_ties->setAccessibleName(tr("What this step reads and what reads it"));
    layout->addWidget(m_ties);
    connect(m_ties, &TiesLine::activated, this, &EvidenceView::followTie);
    makePages(layout);
    into = plots;
    m_pair = new PairView(this);
    plots->addWidget(m_pair, 6);
    connect(m_pair, &PairView::goodWanted, this, [this] { emit actWanted(QStringLiteral("addSample")); });
    connect(m_pair, &PairView::bareWanted, this, [this] { emit actWanted(QStringLiteral("addBareGround")); });
    m_plotTitle = label("plotTitle", 12, false);
    m_plot = new EvidencePlot(this);
    m_plot->setObjectName(QStringLiteral("picturePlot"));
    plots->addWidget(m_plot, 3);
    m_note = label("evidenceNote", 12, false);
    m_map = new ElementMap(this);
    plots->addWidget(m_map);
    connect(m_map, &ElementMap::clicked, this, [this](int spot) {
        if (const Check* c = shownCheck()) m_session.select(m_session.selected(), c->output, spot);
    });
    m_trialsTitle = label("trialsTitle", 12, false);
    m_trials = new EvidencePlot(this);
    m_trials->setObjectName(QStringLiteral("trialsPlot"));
    plots->addWidget(m_trials, 3);
    m_take = new QPushButton(tr("Take these limits  ⏎"), this);
    m_take->setObjectName(QStringLiteral("takeLimits"));
    m_take->setToolTip(tr("Takes the proposed limits  (Enter)"));
    m_take->hide();
    connect(m_take, &QPushButton::clicked, &session, [&session] { session.takeProposal(); });
    auto* takeRow = new QHBoxLayout;
    takeRow->setContentsMargins(12, 0, 18, 0);
    takeRow->addWidget(m_take);
    plots->addLayout(takeRow);
    m_scroll = new QScrollArea(this);
    m_scroll->setObjectName(QStringLiteral("formScroll"));
    m_scroll->setWidgetResizable(true);
    m_scroll->setFrameShape(QFrame::NoFrame);
    m_scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_form = new ParamForm(m_scroll);
    m_scroll->setWidget(m_form);
    layout->addWidget(m_scroll, 4);

    connect(&session, &Session::selectionChanged, this, &EvidenceView::refresh);
    connect(&session, &Session::recipeChanged, this, &EvidenceView::refresh);
    connect(&session, &Session::draftChanged, this, [this] {
        m_formDue = true;
        refresh();
    });
    for (const auto signal : {&Session::trialChanged, &Session::resultsChanged})
        connect(&session, signal, this, [this] {
            refreshHead();
            plotsSoon();
        });
    connect(&session, &Session::strokeRead, this, &EvidenceView::showStroke);
    connect(m_form, &ParamForm::edited, this, &EvidenceView::editStep);
    connect(m_form, &ParamForm::againWanted, this, [this] {
        m_formFor.clear();
        refreshForm();
    });
    connect(m_form, &ParamForm::problem, &session, &Session::said);
    connect(m_form, &ParamForm::actWanted, this, &EvidenceView::actWanted);
    connect(m_plot, &EvidencePlot::handleMoved, this, &EvidenceView::dragSetting);
    connect(m_trials, &EvidencePlot::handleMoved, this, &EvidenceView::dragLimit);
    connect(m_trials, &EvidencePlot::clickedAt, this, [this](double x, double) {
        const int t = int(std::lround(x)) - 1;
        if (t >= 0 && t < m_session.trialCount()) m_session.setTrial(t);
    });
    refresh();
}

// Plots, or the table of what was looked at one by one.
void EvidenceView::makePages(QBoxLayout* layout)
{
    m_tabs = new QWidget(this);
    auto* row = new QHBoxLayout(m_tabs);
    row->setContentsMargins(12, 0, 12, 0);
    row->setSpacing(0);
    const auto tab = [&](const char* name, const QString& text, const QString& help,
                         const std::function<void()>& show) {
        auto* b = new QToolButton(m_tabs);
        b->setObjectName(QLatin1String(name));
        b->setProperty("page", true);
        b->setText(text);
        b->setToolTip(help);
        b->setCheckable(true);
        b->setFocusPolicy(Qt::TabFocus);
        connect(b, &QToolButton::clicked, this, show);
        row->addWidget(b);
        return b;
    };
    m_plotTab = tab("plotPage", tr("Plot"), tr("The plot the answer rests on"), [this] {
        m_showTurning = false;
        showObjects(false);
    });
    m_objectsTab =
        tab("objectsPage", tr("One by one"), tr("Everything this step looked at, with what became of it  (Shift+H)"),
            [this] { showObjects(true); });
    m_turningTab = tab("turningPage", tr("Turning view"), tr("The heights as a body, turned by the mouse  (Shift+V)"),
                       [this] { showTurning(true); });
    row->addStretch(1);
    layout->addWidget(m_tabs);
    m_objects = new ObjectsView(m_session, this);
    layout->addWidget(m_plots, 6);
    layout->addWidget(m_objects, 6);
    m_turning = new TurningWidget(m_session, this);
    layout->addWidget(m_turning, 6);
    connect(&m_session, &Session::viewChanged, this, &EvidenceView::refreshPages);
    connect(&m_session, &Session::trialChanged, this, &EvidenceView::refreshPages);
    connect(&m_session, &Session::selectionChanged, this, &EvidenceView::refreshPages);
    connect(m_objects, &ObjectsView::toldChanged, this, &EvidenceView::refreshPages);
    refreshPages();
}

void EvidenceView::showObjects(bool on)
{
    m_showObjects = on;
    if (on) m_showTurning = false;
    refreshPages();
    if (on) m_objects->refresh();
}

void EvidenceView::showTurning(bool on)
{
    m_showTurning = on;
    refreshPages();
    if (on && m_turning->isVisible()) m_turning->setFocus();
}

void EvidenceView::refreshPages()
{
    const bool heights = m_session.shownPicture().content == image::Content::Height, turning = heights && m_showTurning;
    const bool can = m_objects->available(), objects = can && m_showObjects && !turning;
    m_tabs->setVisible(can || heights);
    m_objectsTab->setVisible(can), m_turningTab->setVisible(heights);
    m_plotTab->setChecked(!objects && !turning), m_objectsTab->setChecked(objects), m_turningTab->setChecked(turning);
    const auto& table = m_objects->table();
    m_objectsTab->setText(!objects || table.empty()
                              ? tr("One by one")
                              : tr("One by one: %1 of %2").arg(m_objects->kept()).arg(table.rows.size()));
    m_plots->setVisible(!objects && !turning);
    m_objects->setVisible(objects);
    m_turning->setVisible(turning);
    if (m_scroll) m_scroll->setVisible(m_formElsewhere || (!objects && !turning));
}

void EvidenceView::formIsElsewhere(bool elsewhere)
{
    m_formElsewhere = elsewhere;
    if (!elsewhere) qobject_cast<QVBoxLayout*>(layout())->addWidget(m_scroll, 4);
    refreshPages();
}

void EvidenceView::showStroke(const std::optional<Evidence>& live)
{
    if (!live) return refresh();
    m_due = m_trialsDue = false; // of another step
    m_title->setText(tr("Stroke under way"));
    m_about->setText(
        tr("Let go to make a draft · Esc or right button lets go · wheel: averaging width · R: the other way"));
    m_plot->setVisible(true), m_plotTitle->setVisible(true);
    m_trials->hide(), m_trialsTitle->hide(), m_note->hide(), m_map->hide(), m_pair->clear(); // of another step
    drawPlot(*live);
}

void EvidenceView::editStep(const QString& what, const std::function<void(Step&)>& edit, const QString& merge)
{
    const Step* s = m_session.selectedStep();
    if (!s) return;
    m_editing = !merge.isEmpty(); // the field being edited stays; after other edits the form is made anew
    if (m_session.draft()) m_session.editDraft(edit);
    else
        m_session.change(
            what, [&, id = s->id](Recipe& r) { edit(*r.find(id)); }, merge.isEmpty() ? merge : merge + q(s->id));
    m_editing = false;
}

void EvidenceView::dragSetting(const QString& id, double value, bool released)
{
    const Step* s = m_session.selectedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    const ParamSpec* spec = kind ? kind->param(id.toStdString()) : nullptr;
    if (!spec) return;
    if (const auto* r = std::get_if<Real>(&spec->domain))
        value = std::clamp(std::round(value / std::min(r->step, 0.5)) * std::min(r->step, 0.5), r->min, r->max);
    std::vector<std::pair<std::string, Value>> also;
    for (const auto& h : m_params)
        if (h.param == spec->key) also = h.also;
    const auto edit = [&](Step& step) {
        for (const auto& [key, v] : also)
            if (const ParamSpec* p = kind->param(key)) p->put(step.params, v);
        spec->put(step.params, value);
    };
    m_dragging = !released;
    if (m_session.draft()) m_session.editDraft(edit);
    else
        m_session.change(
            q(spec->label), [&, step = s->id](Recipe& r) { edit(*r.find(step)); }, QStringLiteral("drag:") + id);
    if (released) {
        m_session.endMerge();
        refresh();
    }
}

void EvidenceView::dragLimit(const QString& id, double value, bool released)
{
    const Check* c = shownCheck();
    const Step* s = m_session.selectedStep();
    if (!c || !s || m_session.draft()) return;
    Limits limits = m_session.proposal() ? m_session.proposal()->limits : c->limits;
    // Dragged in the unit that is shown; a general tolerance becomes one of its own.
    const base::Unit shown =
        base::shownAs(m_session.recipe().unitOf(*s, *findKind(s->kind)->output(c->output)), m_session.recipe().shownIn);
    if (const auto own = limits.resolved(m_session.recipe().toleranceClass);
        own && base::convertible(own->unit, shown)) {
        limits = own->in(shown);
        limits.general = General::None;
    }
    const double grain = std::pow(10.0, -(base::decimals(limits.unit) + (limits.unit == base::Unit::None ? 2 : 0)));
    value = std::round(value / grain) * grain;
    id == QStringLiteral("low") ? limits.setLowest(value) : limits.setHighest(value);
    m_dragging = !released;
    const std::string step = s->id, output = c->output;
    if (m_session.proposal()) m_session.dropProposal();
    m_session.setLimits(step, output, limits, true);
    if (released) {
        m_session.endMerge();
        refresh();
    }
}

const Check* EvidenceView::shownCheck() const { return m_session.selectedCheck(); }

void EvidenceView::refresh()
{
    refreshHead();
    refreshPages();
    // A draft that comes or goes is drawn and listed first; the settings follow with the plots.
    m_formDue = m_formDue || m_session.draft();
    if (!m_formDue) refreshForm();
    plotsSoon();
}

// Plots, then the form, each in a turn of its own: between them the window answers.
void EvidenceView::plotsSoon()
{
    if (std::exchange(m_due, true)) return;
    // Timers of their own, not queued calls: those would all follow in one turn of the loop.
    QTimer::singleShot(1, this, [this] {
        drawPicture();
        QTimer::singleShot(1, this, [this] {
            drawTrials();
            if (m_formDue) QTimer::singleShot(1, this, &EvidenceView::drawForm);
        });
    });
}

void EvidenceView::drawPicture()
{
    if (!std::exchange(m_due, false)) return;
    m_trialsDue = true;
    refreshPlot();
}

void EvidenceView::drawTrials()
{
    if (!std::exchange(m_trialsDue, false)) return;
    refreshMap();
    refreshTrials();
}

void EvidenceView::drawForm()
{
    if (std::exchange(m_formDue, false)) refreshForm();
}

void EvidenceView::drawDue()
{
    drawForm();
    drawPicture();
    drawTrials();
}

void EvidenceView::refreshMap()
{
    std::vector<ElementMap::Spot> spots;
    const auto prepared = m_session.prepared();
    const Step* s = prepared ? m_session.selectedStep() : nullptr;
    const Check* c = shownCheck();
    const auto* item = m_session.currentItem();
    if (!s) return m_map->hide();
    const Recipe& recipe = prepared->recipe();
    const auto motion = inspect::Placing(recipe, item).following(s->datum);
    if (c && item && motion && c->match == Match::Place)
        for (const auto& answer : item->checks) {
            if (answer.step != s->id || answer.output != c->output) continue;
            for (std::size_t i = 0; i < answer.elements.size(); ++i) {
                const auto& e = answer.elements[i];
                const bool known = i < c->elements.size() && c->elements[i].at;
                if (!known && !e.at) continue;
                // Where it belongs, a surplus one where it lies; the part level.
                const geometry::Point place = known ? *c->elements[i].at : motion->toReference(*e.at);
                const geometry::Point level = recipe.calibration.bends() ? recipe.calibration.level(place) : place;
                const geometry::Point local = motion->motion().reference.toLocal(level);
                ElementMap::Spot spot;
                spot.at = {local.x, local.y};
                spot.name = q(e.name), spot.verdict = e.verdict, spot.missing = e.value < 0, spot.surplus = !known;
                spot.tip =
                    spot.name + QStringLiteral(": ") +
                    (spot.missing ? tr("missing")
                                  : q(base::toText(answer.values[std::size_t(e.value)], answer.unit, answer.shownIn))) +
                    (e.reason.empty() || spot.missing ? QString() : QStringLiteral(", ") + q(e.reason));
                spots.push_back(std::move(spot));
            }
        }
    m_map->setVisible(!spots.empty());
    m_map->setSpots(std::move(spots), m_session.selectedElement());
    // The plots give the map its room, so that nothing else has to.
    for (EvidencePlot* plot : {m_plot, m_trials})
        plot->setMinimumHeight(!m_pair->isHidden() ? 72 : m_map->isHidden() ? 104 : 104 - m_map->height() / 2);
}

void EvidenceView::refreshHead()
{
    const Step* s = m_session.selectedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind) m_ties->setWords({});
    if (!kind) {
        const auto* whole = m_session.currentResult();
        if (whole && !whole->warnings.empty()) {
            m_title->setText(tr("Beware"));
            m_about->setText(q(whole->warnings.front()));
            return;
        }
        m_title->setText(m_session.recipe().steps.empty() ? tr("Nothing to inspect yet") : tr("No step chosen"));
        m_about->setText(
            m_session.trialCount() == 0 ? tr("1  Add pictures of parts: drop them on the sheet or press Ctrl+P.")
            : m_session.recipe().reference.empty()
                ? tr("2  Show a good part and press Ctrl+R: it becomes the reference.")
            : m_session.recipe().steps.empty()
                ? tr("3  Hold Ctrl and drag a frame round the part: that makes the datum other steps follow.")
                : tr("Click a row of the grid or a mark on the sheet. Drag across the part to measure a width."));
        return;
    }
    const Recipe& r = m_session.prepared()->recipe();
    QString title = q(s->name);
    if (const Check* c = shownCheck(); c && c->balloon) {
        if (s->checks.size() > 1 && c->name != s->name) title += QStringLiteral(" · ") + q(c->name);
        title = QString::number(c->balloon) + QStringLiteral("  ") + title;
    }
    if (kind->datum) title = q(s->letter) + QStringLiteral("  ") + title;
    if (m_session.draft()) title += tr("  · draft");
    m_title->setText(title);
    QString about = q(kind->label);
    const Step* datum = r.find(s->datum);
    about += datum         ? tr(" · follows %1").arg(q(datum->letter))
             : kind->datum ? QString()
                           : tr(" · fixed to the picture");
    refreshTies(r, *s, *kind);
    if (const QString numbers = formulaNumbers(r, *s, *kind); !numbers.isEmpty())
        about += QStringLiteral("\n") + numbers;
    const auto* item = m_session.currentItem();
    const auto* result = item ? item->step(s->id) : nullptr;
    if (result && result->state != inspect::State::Ok) about += QStringLiteral("\n") + q(result->reason);
    else if (result && !result->note.empty()) about += QStringLiteral("\n") + q(result->note);
    // The value in px beside the real unit.
    if (const double k = m_session.recipe().mmPerPixel(); k > 0 && item && shownCheck())
        for (const auto& c : item->checks)
            if (c.step == s->id && c.output == shownCheck()->output && !c.list && !c.values.empty() &&
                c.unit == base::Unit::Millimetre)
                about += tr(" · %1 = %2 px").arg(q(c.valueText())).arg(c.values.front() / k, 0, 'f', 2);
    if (const auto* whole = m_session.currentResult())
        for (const std::string& w : whole->warnings) about += QStringLiteral("\n") + tr("Beware: %1").arg(q(w));
    if (const auto* t = m_session.prepared()->taught(s->id); t && !t->note.empty())
        about += QStringLiteral("\n") + q(t->note);
    // Said once, whoever says it.
    if (m_session.draft() && !m_session.draft()->offer().wants.empty() &&
        !about.contains(q(m_session.draft()->offer().wants)))
        about += QStringLiteral("\n") + q(m_session.draft()->offer().wants);
    m_about->setText(about);
}

// Both ways, each a jump; an input that is gone can be given anew here.
void EvidenceView::refreshTies(const Recipe& r, const Step& s, const StepKind& kind)
{
    std::vector<TiesLine::Word> words, reads, by;
    bool missing = false;
    const auto reading = [&](const std::string& id) {
        if (const Step* from = r.find(id)) reads.push_back({q(from->name), q(id)});
        else missing = true;
    };
    for (const auto& [key, id] : s.inputs) reading(id);
    for (const auto& [key, of] : s.regionsOf) reading(of.step);
    for (const InputSpec& in : kind.inputs) missing = missing || (in.needed && !s.inputs.count(in.key));
    for (const std::string& id : r.readBy(s.id))
        if (const Step* reader = r.find(id); reader && reader->datum != s.id) by.push_back({q(reader->name), q(id)});
    const auto say = [&](const QString& what, const std::vector<TiesLine::Word>& links) {
        if (links.empty()) return;
        words.push_back({(words.empty() ? QString() : QStringLiteral(" · ")) + what + QLatin1Char(' '), {}});
        const std::size_t most = links.size() > 4 ? 3 : links.size();
        for (std::size_t i = 0; i < most; ++i) {
            if (i) words.push_back({QStringLiteral(", "), {}});
            words.push_back(links[i]);
        }
        if (most < links.size()) words.push_back({tr(", %1 more").arg(links.size() - most), {}});
    };
    say(tr("reads"), reads);
    say(tr("read by"), by);
    if (missing && !m_session.draft()) {
        say(tr("input missing:"), {{tr("read another…"), QStringLiteral("!another")}});
        words.push_back({QStringLiteral(" · "), {}});
        words.push_back({tr("delete this too"), QStringLiteral("!delete")});
    }
    m_ties->setWords(std::move(words));
}

void EvidenceView::followTie(const QString& to)
{
    if (to == QStringLiteral("!delete")) return emit deleteWanted();
    if (to != QStringLiteral("!another")) return m_session.select(to.toStdString());
    const Step* s = m_session.selectedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind) return;
    showObjects(false);
    for (const InputSpec& in : kind->inputs) {
        const auto now = s->inputs.find(in.key);
        if (now != s->inputs.end() && m_session.recipe().find(now->second)) continue;
        m_form->showSetting("input_" + in.key);
        return;
    }
}

// What a formula's names stand for here.
QString EvidenceView::formulaNumbers(const Recipe& r, const Step& s, const StepKind& kind) const
{
    QStringList out;
    const auto* item = m_session.currentItem();
    for (const ParamSpec& p : kind.params) {
        const auto* text = std::get_if<Text>(&p.domain);
        if (!text || !text->formula || !item) continue;
        std::string missing;
        const std::string formula = std::get<std::string>(p.get(s.params));
        for (const auto& [name, value] : inspect::namedResults(r, *item, formula, missing)) {
            QStringList numbers;
            for (std::size_t i = 0; i < value.values.size() && i < 3; ++i)
                numbers << q(base::toText(value.values[i], value.unit, r.shownIn));
            if (value.values.size() > 3) numbers << QStringLiteral("…");
            out << tr("%1 = %2").arg(q(withNames("[" + name + "]", r)), numbers.join(QStringLiteral(", ")));
        }
    }
    return out.join(QStringLiteral(" · "));
}

void EvidenceView::refreshPlot()
{
    if (m_dragging) return; // the handle moves under the mouse; the rest is drawn anew when it is let go
    const Step* s = m_session.selectedStep();
    const auto* item = m_session.currentItem();
    const auto capture = m_session.capture();
    m_note->clear();
    base::Result<Evidence> e = base::fail(base::ErrorCode::NotFound, "");
    if (s && item && capture)
        e = inspect::evidenceOf(*m_session.prepared(), *capture, *item, s->id, m_session.selectedElement());
    bool failed = false;
    if (s && item)
        for (const auto& c : item->checks) {
            if (c.step != s->id || c.verdict != inspect::Verdict::Fail) continue;
            const int chosen = m_session.selectedElement();
            failed = failed || chosen < 0 || c.elements.empty() ||
                     std::any_of(c.elements.begin(), c.elements.end(), [&](const auto& one) {
                         return one.listed == chosen && one.verdict == inspect::Verdict::Fail;
                     });
        }
    if (e && e->pair) m_pair->show(*e, failed, findKind(s->kind)->hasPlaces);
    else m_pair->clear();
    const bool kindShows = s && findKind(s->kind) && findKind(s->kind)->evidence;
    m_plot->setVisible(bool(e));
    m_plotTitle->setVisible(bool(e));
    m_note->setVisible(kindShows);
    if (!e) {
        // The head says it already when it is the step's own reason.
        if (kindShows && capture && !m_about->text().contains(q(e.error().message)))
            m_note->setText(q(e.error().message));
        m_note->setVisible(!m_note->text().isEmpty());
        return;
    }
    drawPlot(*e);
}

void EvidenceView::drawPlot(const Evidence& shown)
{
    const Evidence* e = &shown;
    m_plot->clearAll();
    m_plotTitle->setText(tr("%1 · this picture").arg(q(e->title)));
    m_plotTitle->setToolTip(tr("%1 over %2").arg(q(e->yLabel), q(e->xLabel)));
    m_plot->names(QString(), QString()); // the room belongs to the plot; the title says what is shown
    double x0 = 1e300, x1 = -1e300, y0 = e->ownRange ? 1e300 : 0, y1 = -1e300;
    const report::Theme& th = theme();
    for (const auto& g : e->gaps) m_plot->hatched(g.from, g.to);
    for (const auto& c : e->curves) {
        const QVector<double> x(c.x.begin(), c.x.end()), y(c.y.begin(), c.y.end());
        using Look = Evidence::Curve::Look;
        if (c.look != Look::Thin)
            m_plot->line(x, y, c.look == Look::Bold ? QPen(th.datum, 3.2) : QPen(th.datum, 1, Qt::DashDotLine));
        else if (c.filled || e->stems.size() || (c.x.size() > 1 && c.name != "used" && c.name != "stray"))
            m_plot->curve(x, y, c.second ? th.second : th.ink, c.filled, c.second ? Qt::DotLine : Qt::SolidLine);
        else
            m_plot->dots(x, y,
                         QCPScatterStyle(c.second ? QCPScatterStyle::ssCross : QCPScatterStyle::ssDisc,
                                         QPen(c.second ? th.fail : th.pass, 1.4),
                                         QBrush(c.second ? Qt::transparent : th.pass), c.second ? 7 : 5));
        for (const double v : c.x) x0 = std::min(x0, v), x1 = std::max(x1, v);
        if (c.look == Look::Extended) continue; // runs on as far as it is seen
        for (const double v : c.y) y0 = std::min(y0, v), y1 = std::max(y1, v);
    }
    for (const auto& stem : e->stems) {
        m_plot->stem(stem.at, stem.height, stem.counts ? q(stem.text) : QString(), stem.counts ? th.pass : th.second,
                     stem.counts);
        y1 = std::max(y1, stem.height);
    }
    if (!e->rules.empty()) {
        const auto* item = m_session.currentItem();
        const Check* judged = shownCheck();
        const auto* answer = item && judged && m_session.selectedStep()
                                 ? item->check(m_session.selectedStep()->id, judged->output)
                                 : nullptr;
        const QColor colour = answer ? th.of(answer->verdict) : th.ink;
        for (const auto& r : e->rules) {
            m_plot->rule(r.at, r.from, r.to, q(r.text), colour);
            y0 = std::min({y0, r.from, r.to}), y1 = std::max({y1, r.from, r.to});
        }
    }
    if (!e->dots.empty()) {
        // Good ones as rings, this one as a tick's dot or a cross, on the scale of ratios.
        QVector<double> x[3], y[3];
        for (const auto& d : e->dots) {
            const bool here = d.of == Evidence::Dot::Of::Here, over = here && e->limit && d.y > *e->limit;
            const std::size_t k = here ? (over ? 2 : 1) : 0;
            x[k].push_back(d.x), y[k].push_back(std::clamp(d.y, 0.12, 200.0));
            x0 = std::min(x0, d.x - 0.6), x1 = std::max(x1, d.x + 0.6), y1 = std::max(y1, std::min(d.y, 200.0));
        }
        if (e->limit) m_plot->level(*e->limit, th.pass);
        m_plot->dots(x[0], y[0], QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(th.second, 1), Qt::NoBrush, 5));
        m_plot->dots(x[1], y[1], QCPScatterStyle(QCPScatterStyle::ssDisc, QPen(th.pass, 1.4), QBrush(th.pass), 7));
        m_plot->dots(x[2], y[2], QCPScatterStyle(QCPScatterStyle::ssCross, QPen(th.fail, 2.2), Qt::NoBrush, 9));
        QSharedPointer<QCPAxisTickerText> names(new QCPAxisTickerText);
        for (const auto& d : e->dots)
            if (!d.text.empty()) names->addTick(d.x, q(d.text));
        m_plot->xAxis->setTicker(names);
    }
    if (x0 > x1) x0 = 0, x1 = 1;
    m_params = e->handles;
    std::vector<PlotHandle> handles;
    for (const auto& h : e->handles) {
        handles.push_back({q(h.param), q(h.label), h.alongX, h.value, false});
        if (!h.alongX && e->ownRange) y0 = std::min(y0, h.value), y1 = std::max(y1, h.value);
        else if (!h.alongX) y1 = std::max(y1, h.value * 1.1);
    }
    m_plot->xAxis->setRange(x0, x1 > x0 ? x1 : x0 + 1);
    if (e->logarithmic) {
        m_plot->yAxis->setScaleType(QCPAxis::stLogarithmic);
        m_plot->yAxis->setTicker(QSharedPointer<QCPAxisTickerLog>(new QCPAxisTickerLog));
        m_plot->yAxis->setNumberFormat(QStringLiteral("eb")), m_plot->yAxis->setNumberPrecision(0);
        m_plot->yAxis->setRange(e->dots.empty() ? 0.7 : 0.1, std::max(10.0, y1 * 2));
        if (!e->dots.empty()) { // ratios: whole decades, in plain figures
            QSharedPointer<QCPAxisTickerText> plain(new QCPAxisTickerText);
            for (const double v : {0.1, 1.0, 10.0, 100.0}) plain->addTick(v, QString::number(v));
            m_plot->yAxis->setTicker(plain);
        }
    } else if (e->ownRange) {
        if (y0 > y1) y0 = 0, y1 = 1;
        const double room = std::max(0.08 * (y1 - y0), 1e-4);
        m_plot->yAxis->setRange(y0 - room, y1 + room);
    } else {
        m_plot->yAxis->setRange(y0 < 0 ? y0 * 1.15 : 0, y1 > 0 ? y1 * 1.12 : 1);
    }
    m_plot->setHandles(std::move(handles));
    m_note->setText(q(e->note));
    m_note->setVisible(!e->note.empty());
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

void EvidenceView::refreshTrials()
{
    const Step* s = m_session.selectedStep();
    const Check* c = shownCheck();
    m_trials->setVisible(c);
    m_trialsTitle->setVisible(c);
    m_take->setVisible(c && m_session.proposal() && m_session.proposal()->step == s->id);
    if (!c) return;
    const StepKind* kind = findKind(s->kind);
    const OutputSpec* out = kind->output(c->output);
    const Recipe& recipe = m_session.recipe();
    const base::Unit unit = recipe.unitOf(*s, *out), shown = base::shownAs(unit, recipe.shownIn);
    QVector<double> x[3], y[3];
    double low = 1e300, high = -1e300;
    for (int t = 0; t < m_session.trialCount(); ++t) {
        const auto* r = m_session.result(t);
        if (!r) continue;
        const auto labels = inspect::labelsOf(recipe, recipe.trials[std::size_t(t)], *r);
        for (std::size_t i = 0; i < labels.size(); ++i)
            for (const auto& check : r->items[i].checks)
                if (const auto which = std::size_t(labels[i]); check.step == s->id && check.output == c->output)
                    for (const double v : check.values) {
                        const double w = base::converted(v, unit, shown);
                        x[which].push_back(t + 1), y[which].push_back(w), low = std::min(low, w),
                                                                          high = std::max(high, w);
                    }
    }
    const auto& proposal = m_session.proposal();
    const bool proposed = proposal && proposal->step == s->id && proposal->output == c->output;
    Limits limits = proposed ? proposal->limits : c->limits;
    if (limits.any()) {
        const auto usable = base::convertible(limits.unit, shown)
                                ? limits.resolved(recipe.toleranceClass)
                                : base::Result<Limits>(base::fail(base::ErrorCode::InvalidArgument, ""));
        limits = usable ? usable->in(shown) : Limits{};
    }
    // As it was judged in the picture in view: stated, or the picture's own.
    const auto* item = m_session.currentItem();
    const auto* answer = item ? item->check(s->id, c->output) : nullptr;
    const double guard =
        answer && base::convertible(answer->unit, shown) ? base::converted(answer->guard, answer->unit, shown) : 0;
    for (const auto& l : {limits.lowest(), limits.highest()})
        if (l) low = std::min(low, *l), high = std::max(high, *l);
    if (low > high) low = 0, high = 1;
    const double room = std::max((high - low) * 0.12, std::abs(high) * 1e-9 + 1e-6);
    if (!m_dragging) m_low = low - room, m_high = high + room;
    m_trials->clearAll();
    const auto whole = [](const QVector<double>& v) {
        return std::all_of(v.begin(), v.end(), [](double a) { return a == std::floor(a); });
    };
    m_trials->wholeNumbers(true, shown == base::Unit::None && whole(y[0]) && whole(y[1]) && whole(y[2]));
    m_trialsTitle->setText(
        proposed ? proposal->words
                 : tr("%1 of all trials%2")
                           .arg(q(out->label), shown == base::Unit::None
                                                   ? QString()
                                                   : QStringLiteral(", ") + QString::fromUtf8(base::symbol(shown))) +
                       tr("  ○ good ● bad □ open"));
    if (limits.any()) m_trials->band(limits.lowest().value_or(m_low - 1e6), limits.highest().value_or(m_high + 1e6));
    const report::Theme& th = theme();
    if (guard > 0) { // inside these lines a value is proved, between them and the limit it is not
        for (const auto& [at, sign] : {std::pair{limits.lowest(), 1.0}, {limits.highest(), -1.0}})
            if (at) m_trials->level(*at + sign * guard, th.notMeasured);
        m_trialsTitle->setText(m_trialsTitle->text() + tr(" · guard %1").arg(guard, 0, 'g', 2));
    }
    QPainterPath dash;
    dash.moveTo(-4, 0), dash.lineTo(4, 0);
    m_trials->dots(x[0], y[0], QCPScatterStyle(dash, QPen(th.ink, 1.6), Qt::NoBrush, 7));
    m_trials->dots(x[1], y[1], QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(th.ink, 1.3), Qt::NoBrush, 6.5));
    m_trials->dots(x[2], y[2], QCPScatterStyle(QCPScatterStyle::ssDisc, QPen(th.ink, 1), QBrush(th.ink), 6.5));
    if (m_session.trial() >= 0) m_trials->vertical(m_session.trial() + 1, th.datum);
    m_trials->xAxis->setRange(0.2, std::max(2, m_session.trialCount()) + 0.8);
    m_trials->yAxis->setRange(m_low, m_high);
    m_trials->names(QString(), QString());
    std::vector<PlotHandle> handles;
    if (limits.lowest()) handles.push_back({QStringLiteral("low"), tr("low"), false, *limits.lowest(), proposed});
    if (limits.highest()) handles.push_back({QStringLiteral("high"), tr("high"), false, *limits.highest(), proposed});
    m_trials->setHandles(std::move(handles));
    m_trials->replot(QCustomPlot::rpQueuedReplot);
}

void EvidenceView::refreshForm()
{
    if (m_editing || m_dragging) return; // the editor in use must not be taken from under the hand
    const Step* s = m_session.selectedStep();
    if (!s) {
        m_formFor.clear();
        m_form->clear();
        return;
    }
    // Made anew only when something in it changed.
    const std::string now = stepToJson(*s).dump() + std::to_string(m_session.recipe().steps.size()) +
                            recipe::calibrationToJson(m_session.recipe().calibration).dump() +
                            recipe::namingToJson(m_session.recipe().pictures).dump() +
                            base::symbol(m_session.recipe().shownIn) + recipe::name(m_session.recipe().toleranceClass) +
                            (m_session.draft() ? "draft" : "");
    if (now == m_formFor) return;
    m_formFor = now;
    m_form->show(m_session.recipe(), *s,
                 m_session.draft() ? m_session.draft()->offer().chosen : std::vector<std::string>(),
                 m_session.draft() != nullptr);
}

} // namespace desktop
