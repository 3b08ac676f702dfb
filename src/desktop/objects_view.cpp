#include "desktop/objects_view.h"

#include "desktop/words.h"
#include "recipe/recipe_file.h"

#include <QAbstractTableModel>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QSortFilterProxyModel>
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
QString figure(double x)
{
    if (std::isnan(x)) return QStringLiteral("–");
    const double a = std::abs(x);
    return QString::number(x, 'f', x == std::round(x) ? 0 : a >= 1000 ? 0 : a >= 100 ? 1 : a >= 1 ? 2 : 3);
}
QString columnName(const ObjectTable::Column& c)
{
    const QString unit = QString::fromUtf8(base::symbol(c.unit));
    return unit.isEmpty() ? q(c.label) : q(c.label) + QStringLiteral(", ") + unit;
}
} // namespace

class ObjectsModel : public QAbstractTableModel
{
public:
    using QAbstractTableModel::QAbstractTableModel;
    static constexpr int kOwn = 2; // number, what became of it
    void set(const ObjectTable* table)
    {
        beginResetModel();
        m_table = table;
        endResetModel();
    }
    void mark(std::map<int, bool> examples)
    {
        m_examples = std::move(examples);
        if (rowCount({})) emit dataChanged(index(0, 0), index(rowCount({}) - 1, 0));
    }
    int rowCount(const QModelIndex& parent = {}) const override
    {
        return m_table && !parent.isValid() ? int(m_table->rows.size()) : 0;
    }
    int columnCount(const QModelIndex& parent = {}) const override
    {
        return m_table && !parent.isValid() ? kOwn + int(m_table->columns.size()) : 0;
    }
    QVariant headerData(int section, Qt::Orientation o, int role) const override
    {
        if (!m_table || o != Qt::Horizontal || (role != Qt::DisplayRole && role != Qt::ToolTipRole)) return {};
        if (section == 0) return QObject::tr("No.");
        if (section == 1) return QObject::tr("Fate");
        return columnName(m_table->columns[std::size_t(section - kOwn)]);
    }
    QVariant data(const QModelIndex& at, int role) const override
    {
        const ObjectTable::Row& r = m_table->rows[std::size_t(at.row())];
        const int c = at.column();
        switch (role) {
        case Qt::TextAlignmentRole:
            return int(c == 1 ? Qt::AlignLeft | Qt::AlignVCenter : Qt::AlignRight | Qt::AlignVCenter);
        case Qt::ForegroundRole: return r.kept() ? theme().ink : theme().second;
        case Qt::ToolTipRole: return q(recipe::howCome(*m_table, at.row(), labelOf(r)));
        case Qt::UserRole: // what it is sorted by
            if (c == 0) return r.number > 0 ? r.number : 1000000 + at.row();
            if (c == 1) return int(r.fate);
            return r.values[std::size_t(c - kOwn)];
        case Qt::DisplayRole: break;
        default: return {};
        }
        if (c == 0) {
            const auto e = m_examples.find(at.row());
            const QString sign = e == m_examples.end() ? QString()
                                 : e->second           ? QStringLiteral("+ ")
                                                       : QStringLiteral("− ");
            return sign + (r.number > 0 ? QString::number(r.number) : QStringLiteral("–"));
        }
        if (c == 1) return fate(r);
        return figure(r.values[std::size_t(c - kOwn)]);
    }
    // A few words: what turned it away.
    QString fate(const ObjectTable::Row& r) const
    {
        if (r.fate == Fate::Filtered || r.fate == Fate::Bounded) {
            const bool little = r.low && r.value < *r.low;
            return (little ? QObject::tr("%1 too small") : QObject::tr("%1 too large"))
                .arg(labelOf(r) == "" ? "" : q(labelOf(r)));
        }
        return q(recipe::name(r.fate));
    }
    std::string labelOf(const ObjectTable::Row& r) const
    {
        if (const auto it = labels.find(r.by); it != labels.end()) return it->second;
        const int c = m_table->column(r.by);
        return c >= 0 ? m_table->columns[std::size_t(c)].label : r.by;
    }
    std::map<std::string, std::string> labels; // of settings and outputs

private:
    const ObjectTable* m_table = nullptr;
    std::map<int, bool> m_examples;
};

class ObjectsOrder : public QSortFilterProxyModel
{
public:
    using QSortFilterProxyModel::QSortFilterProxyModel;

protected:
    bool lessThan(const QModelIndex& a, const QModelIndex& b) const override
    {
        const double x = a.data(Qt::UserRole).toDouble(), y = b.data(Qt::UserRole).toDouble();
        if (std::isnan(x) || std::isnan(y)) return !std::isnan(x) && std::isnan(y);
        return x < y;
    }
};

ObjectsView::ObjectsView(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName(QStringLiteral("objects"));
    setAccessibleName(tr("Objects"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(3);
    const auto axis = [&](const char* name, const QString& help) {
        auto* box = new QComboBox(this);
        box->setObjectName(QLatin1String(name));
        box->setToolTip(help);
        box->setAccessibleName(help);
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        box->setMinimumContentsLength(8);
        connect(box, &QComboBox::activated, this, [this] { drawPlot(); });
        return box;
    };
    m_words = new QLabel(this);
    m_words->setObjectName(QStringLiteral("objectsWords"));
    m_words->setWordWrap(true);
    m_words->setFont(report::uiFont(12));
    m_words->setProperty("aside", true);
    layout->addWidget(m_words);
    auto* axes = new QHBoxLayout;
    axes->setContentsMargins(12, 0, 14, 0);
    m_y = axis("objectsY", tr("Value upwards"));
    m_x = axis("objectsX", tr("Value to the right"));
    axes->addWidget(m_y, 1);
    auto* over = new QLabel(tr("over"), this);
    over->setFont(report::uiFont(12));
    axes->addWidget(over);
    axes->addWidget(m_x, 1);
    layout->addLayout(axes);
    m_plot = new EvidencePlot(this);
    m_plot->setObjectName(QStringLiteral("objectsPlot"));
    m_plot->setMinimumHeight(90);
    layout->addWidget(m_plot, 4);
    m_model = new ObjectsModel(this);
    m_order = new ObjectsOrder(this);
    m_order->setSourceModel(m_model);
    m_view = new QTableView(this);
    m_view->setObjectName(QStringLiteral("objectsTable"));
    m_view->setAccessibleName(tr("Objects of this picture"));
    m_view->setModel(m_order);
    m_view->setSortingEnabled(true);
    m_view->sortByColumn(0, Qt::AscendingOrder);
    m_view->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_view->setSelectionMode(QAbstractItemView::SingleSelection);
    m_view->setShowGrid(false);
    m_view->setFont(report::uiFont(12));
    m_view->verticalHeader()->hide();
    m_view->verticalHeader()->setDefaultSectionSize(20);
    m_view->horizontalHeader()->setFont(report::uiFont(12));
    m_view->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
    m_view->setTabKeyNavigation(false);
    m_view->setFrameShape(QFrame::NoFrame);
    layout->addWidget(m_view, 5);
    auto* examples = new QHBoxLayout;
    examples->setContentsMargins(12, 0, 14, 0);
    examples->setSpacing(4);
    const auto button = [&](const char* name, const QString& text, const QString& help) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(QLatin1String(name));
        b->setToolTip(help);
        b->setFont(report::uiFont(12));
        examples->addWidget(b);
        return b;
    };
    m_like = button("likeThis", tr("+ like this"), tr("Objects like the chosen one are wanted  (J)"));
    m_unlike = button("notThis", tr("− not this"), tr("Objects like the chosen one are not wanted  (Shift+J)"));
    m_take =
        button("takeFilters", tr("Filter so"), tr("Makes filters of the examples: the widest gap between both kinds"));
    examples->addStretch(1);
    layout->addLayout(examples);
    m_examplesText = new QLabel(this);
    m_examplesText->setObjectName(QStringLiteral("examplesText"));
    m_examplesText->setWordWrap(true);
    m_examplesText->setFont(report::uiFont(12));
    m_examplesText->setProperty("aside", true);
    layout->addWidget(m_examplesText);

    connect(m_like, &QPushButton::clicked, this, [this] { example(true); });
    connect(m_unlike, &QPushButton::clicked, this, [this] { example(false); });
    connect(m_take, &QPushButton::clicked, this, &ObjectsView::takeFilters);
    connect(m_plot, &EvidencePlot::handleMoved, this, &ObjectsView::dragFilter);
    connect(m_plot, &EvidencePlot::clickedAt, this, [this](double x, double y) {
        const int cx = m_told.column(m_x->currentData().toString().toStdString()),
                  cy = m_told.column(m_y->currentData().toString().toStdString());
        if (cx < 0 || cy < 0) return;
        int best = -1;
        double least = 20;
        for (int i = 0; i < int(m_told.rows.size()); ++i) {
            const auto& v = m_told.rows[std::size_t(i)].values;
            const double d =
                std::hypot(m_plot->xAxis->coordToPixel(v[std::size_t(cx)]) - m_plot->xAxis->coordToPixel(x),
                           m_plot->yAxis->coordToPixel(v[std::size_t(cy)]) - m_plot->yAxis->coordToPixel(y));
            if (d < least) least = d, best = i;
        }
        if (best >= 0) choose(best);
    });
    connect(m_view->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
            [this](const QModelIndex& now, const QModelIndex&) {
                if (m_choosing || !now.isValid()) return;
                choose(m_order->mapToSource(now).row());
            });
    connect(&session, &Session::selectionChanged, this, &ObjectsView::refresh);
    connect(&session, &Session::resultsChanged, this, &ObjectsView::refresh);
    connect(&session, &Session::trialChanged, this, &ObjectsView::refresh);
    connect(&session, &Session::draftChanged, this, &ObjectsView::refresh);
}

void ObjectsView::showEvent(QShowEvent* e)
{
    QWidget::showEvent(e);
    refresh();
}
ObjectsView::~ObjectsView() = default;

bool ObjectsView::available() const
{
    const Step* s = m_session.selectedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    return kind && inspect::tellsOfObjects(*kind);
}
int ObjectsView::kept() const
{
    return int(std::count_if(m_told.rows.begin(), m_told.rows.end(), [](const auto& r) { return r.kept(); }));
}
int ObjectsView::chosen() const
{
    const QModelIndex now = m_view->currentIndex();
    return now.isValid() ? m_order->mapToSource(now).row() : -1;
}
std::string ObjectsView::picture() const
{
    return m_session.showsReference() || m_session.trial() < 0
               ? std::string()
               : m_session.recipe().trials[std::size_t(m_session.trial())].picture;
}

void ObjectsView::refresh()
{
    const Step* s = m_session.selectedStep();
    if (!available()) {
        m_step.clear(), m_for.clear();
        m_job.drop(), m_asked = false;
        m_told = {};
        m_model->set(&m_told);
        m_session.point({});
        emit toldChanged();
        return;
    }
    if (s->id != m_step) m_examples.clear(), m_picked.reset(), m_session.point({});
    m_step = s->id;
    // What nobody sees is not worked out.
    if (m_dragged || (!isVisible() && !m_question)) return;
    ask();
    drawPlot();
}

// Off the window's thread; only the newest counts.
void ObjectsView::ask()
{
    const auto prepared = m_session.prepared();
    const auto* item = m_session.currentItem();
    const auto capture = m_session.capture();
    const inspect::StepResult* result = item ? item->step(m_step) : nullptr;
    if (!prepared || !capture || !result || m_session.loading() || m_session.viewIsPending()) return;
    const std::string asked = picture() + "\n" + std::to_string(m_session.item()) + "\n" + m_step + "\n" +
                              std::to_string(result->fingerprint) + "\n" +
                              std::to_string(std::uintptr_t(capture.get()));
    if (asked == m_for) return;
    m_for = asked, m_asked = true;
    m_job.ask([this, prepared, capture, item = *item, step = m_step] {
        auto told = std::make_shared<base::Result<ObjectTable>>(inspect::told(*prepared, *capture, item, step));
        return [this, told] { answer(std::move(*told)); };
    });
}

void ObjectsView::answer(base::Result<ObjectTable> told)
{
    m_asked = false;
    m_model->labels.clear();
    if (const Step* s = m_session.selectedStep())
        if (const StepKind* kind = findKind(s->kind)) {
            for (const ParamSpec& p : kind->params) m_model->labels[p.key] = p.label;
            for (const OutputSpec& o : kind->outputs) m_model->labels[o.key] = o.label;
        }
    m_choosing = true;
    m_told = told ? std::move(*told) : ObjectTable{};
    m_model->set(&m_told);
    m_choosing = false;
    const int away = int(m_told.rows.size()) - kept();
    m_words->setText(!told ? q(told.error().message)
                           : tr("This picture: %1 kept, %2 turned away").arg(kept()).arg(away) +
                                 (m_told.more > 0 ? tr(", %1 small ones not listed").arg(m_told.more) : QString()) +
                                 tr(" · plot: all trials"));
    m_view->setColumnWidth(0, 52);
    m_view->setColumnWidth(1, 142);
    for (int c = ObjectsModel::kOwn; c < m_model->columnCount(); ++c)
        m_view->setColumnWidth(
            c, 18 + QFontMetrics(report::uiFont(12))
                        .horizontalAdvance(m_model->headerData(c, Qt::Horizontal, Qt::DisplayRole).toString()));
    fillAxes();
    drawPlot();
    refreshExamples();
    emit toldChanged();
    if (m_question) explain();
}

void ObjectsView::fillAxes()
{
    QStringList keys, labels;
    for (const auto& c : m_told.columns) keys << q(c.key), labels << columnName(c);
    QStringList now;
    for (int i = 0; i < m_x->count(); ++i) now << m_x->itemData(i).toString();
    if (now == keys) return;
    // What the filters are on is what one wants to see.
    std::vector<std::string> wanted;
    for (const Filter& f : filters()) wanted.push_back(f.output);
    for (const char* usual : {"areas", "circularity", "strength", "score"}) wanted.push_back(usual);
    for (const auto& c : m_told.columns) wanted.push_back(c.key);
    int nth = 0;
    for (QComboBox* box : {m_x, m_y}) {
        box->clear();
        for (int i = 0; i < keys.size(); ++i) box->addItem(labels[i], keys[i]);
        for (; nth < int(wanted.size()); ++nth)
            if (const int at = box->findData(q(wanted[std::size_t(nth)])); at >= 0) {
                if (box == m_y && at == m_x->currentIndex()) continue;
                box->setCurrentIndex(at);
                ++nth;
                break;
            }
    }
}

std::vector<Filter> ObjectsView::filters() const
{
    if (m_dragged) return *m_dragged;
    const Step* s = m_session.selectedStep();
    return s ? s->filters : std::vector<Filter>{};
}

void ObjectsView::drawPlot()
{
    const std::string keys[2] = {m_x->currentData().toString().toStdString(),
                                 m_y->currentData().toString().toStdString()};
    m_plot->clearAll();
    const Step* s = m_session.selectedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    if (!kind || keys[0].empty() || keys[1].empty()) return m_plot->replot(QCustomPlot::rpQueuedReplot);
    QVector<double> kept[2], away[2];
    double least[2] = {INFINITY, INFINITY}, most[2] = {-INFINITY, -INFINITY};
    const auto now = filters();
    const auto add = [&](const ObjectTable& table) {
        const int c[2] = {table.column(keys[0]), table.column(keys[1])};
        if (c[0] < 0 || c[1] < 0) return;
        for (const auto& r : table.rows) {
            const double v[2] = {r.values[std::size_t(c[0])], r.values[std::size_t(c[1])]};
            if (!std::isfinite(v[0]) || !std::isfinite(v[1])) continue;
            const bool judged = r.kept() || r.fate == Fate::Filtered; // the rest no filter brings back
            auto& to = judged && inspect::keeps(table, r.values, now) ? kept : away;
            for (int k : {0, 1}) {
                to[k].push_back(v[k]);
                least[k] = std::min(least[k], v[k]), most[k] = std::max(most[k], v[k]);
            }
        }
    };
    for (int t = 0; t < m_session.trialCount(); ++t)
        if (const auto* r = m_session.result(t))
            for (const auto& item : r->items)
                if (const auto* step = item.step(m_step)) add(step->objects);
    add(m_told); // and all of this picture's, also what was turned away early
    for (const Filter& f : now)
        for (int k : {0, 1})
            if (f.output == keys[k])
                for (const auto& bound : {f.low, f.high})
                    if (bound) least[k] = std::min(least[k], *bound), most[k] = std::max(most[k], *bound);
    const report::Theme& th = theme();
    const QColor plain("#8A8F96");
    m_plot->dots(away[0], away[1], QCPScatterStyle(QCPScatterStyle::ssCross, QPen(plain, 1.2), Qt::NoBrush, 6));
    m_plot->dots(kept[0], kept[1], QCPScatterStyle(QCPScatterStyle::ssDisc, QPen(th.ink, 1), QBrush(th.ink), 4.5));
    if (const int row = chosen(); row >= 0 && row < int(m_told.rows.size())) {
        const int cx = m_told.column(keys[0]), cy = m_told.column(keys[1]);
        const auto& v = m_told.rows[std::size_t(row)].values;
        if (cx >= 0 && cy >= 0)
            m_plot->dots({v[std::size_t(cx)]}, {v[std::size_t(cy)]},
                         QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(th.datum, 2), Qt::NoBrush, 11));
    }
    if (!m_dragged)
        for (int k : {0, 1}) {
            if (!(least[k] <= most[k])) least[k] = 0, most[k] = 1;
            const double room = std::max((most[k] - least[k]) * 0.08, std::abs(most[k]) * 1e-6 + 1e-9);
            m_range[2 * k] = least[k] - room, m_range[2 * k + 1] = most[k] + room;
        }
    m_plot->xAxis->setRange(m_range[0], m_range[1]);
    m_plot->yAxis->setRange(m_range[2], m_range[3]);
    m_plot->names({}, {});
    // A bound that is not set waits dashed at the edge.
    std::vector<PlotHandle> handles;
    if (kind->hasFilters && !m_session.draft())
        for (int k : {0, 1}) {
            const OutputSpec* spec = kind->output(keys[k]);
            if (!spec || !spec->filters || (k == 1 && keys[1] == keys[0])) continue;
            const auto f = std::find_if(now.begin(), now.end(), [&](const Filter& x) { return x.output == keys[k]; });
            for (const bool low : {true, false}) {
                const std::optional<double>* bound = f == now.end() ? nullptr : low ? &f->low : &f->high;
                const double edge = low ? m_range[2 * k] : m_range[2 * k + 1],
                             inset = 0.02 * (m_range[2 * k + 1] - m_range[2 * k]);
                PlotHandle handle{q(keys[k]) + (low ? QStringLiteral(".low") : QStringLiteral(".high")),
                                  low ? tr("low") : tr("high"), k == 0, low ? edge + inset : edge - inset, true};
                if (bound && *bound) handle.value = **bound, handle.dashed = false;
                handles.push_back(std::move(handle));
            }
        }
    m_plot->setHandles(std::move(handles));
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

void ObjectsView::dragFilter(const QString& id, double value, bool released)
{
    const auto dot = id.lastIndexOf('.');
    const std::string key = id.left(dot).toStdString();
    const bool low = id.mid(dot + 1) == QStringLiteral("low");
    if (!m_dragged) m_dragged = filters();
    auto& now = *m_dragged;
    auto f = std::find_if(now.begin(), now.end(), [&](const Filter& x) { return x.output == key; });
    if (f == now.end()) f = now.insert(now.end(), {key, {}, {}});
    const int k = key == m_x->currentData().toString().toStdString() ? 0 : 1;
    const double span = m_range[2 * k + 1] - m_range[2 * k];
    const double grain = std::pow(10.0, std::floor(std::log10(span / 200)));
    value = std::round(value / grain) * grain;
    // Pulled out of the plot it is no bound any more.
    const bool out = low ? value <= m_range[2 * k] + 0.01 * span : value >= m_range[2 * k + 1] - 0.01 * span;
    std::optional<double>& bound = low ? f->low : f->high;
    bound = out ? std::nullopt : std::optional(value);
    if (f->low && f->high && *f->low > *f->high) bound = low ? *f->high : *f->low;
    if (!f->low && !f->high) now.erase(f);
    if (!released) {
        // Dots answer at once, the recipe when it is let go.
        const auto handles = m_plot->handles();
        drawPlot();
        m_plot->setHandles(handles);
        return;
    }
    const auto filters = *m_dragged;
    m_dragged.reset();
    if (const Step* s = m_session.selectedStep(); s && s->filters != filters)
        m_session.change(tr("filter"), [&, step = s->id](Recipe& r) { r.find(step)->filters = filters; });
    drawPlot();
}

void ObjectsView::choose(int row)
{
    if (row < 0 || row >= int(m_told.rows.size())) return;
    m_choosing = true;
    m_view->selectRow(m_order->mapFromSource(m_model->index(row, 0)).row());
    m_view->scrollTo(m_order->mapFromSource(m_model->index(row, 0)));
    m_choosing = false;
    const auto& r = m_told.rows[std::size_t(row)];
    m_session.point(
        Session::Pointed{m_session.recipe().calibration.picture(r.at), r.radius, r.across, r.angle, r.kept()});
    m_words->setText(q(recipe::howCome(m_told, row, m_model->labelOf(r))));
    // Of a list that is judged its element is chosen too.
    if (const Check* c = m_session.selectedCheck(); c && r.number > 0 && !m_session.draft())
        if (const auto* item = m_session.currentItem())
            if (const auto* answer = item->check(m_step, c->output);
                answer && answer->list && r.number <= int(answer->elements.size()) && c->match == Match::Order)
                m_session.select(m_step, c->output, r.number - 1);
    drawPlot();
}

bool ObjectsView::chooseAt(geometry::Point place)
{
    const int row = m_told.at(m_session.recipe().calibration.level(place), 12);
    if (row >= 0) choose(row);
    return row >= 0;
}

void ObjectsView::howCome(geometry::Point place)
{
    m_question = m_session.recipe().calibration.level(place);
    refresh();
    if (!waiting()) explain();
}

void ObjectsView::explain()
{
    if (!m_question) return;
    const geometry::Point at = *m_question;
    m_question.reset();
    const Step* s = m_session.selectedStep();
    if (!s) return;
    if (const int row = m_told.at(at, 12); row >= 0) {
        choose(row);
        emit explained(q(s->name) + QStringLiteral(": ") +
                       q(recipe::howCome(m_told, row, m_model->labelOf(m_told.rows[std::size_t(row)]))));
        return;
    }
    // Nothing was made of this place: what is seen there.
    QString why = tr("nothing was found at this place");
    const auto capture = m_session.capture();
    const auto* item = m_session.currentItem();
    const geometry::Point picture = m_session.recipe().calibration.picture(at);
    if (capture && item) {
        const auto grey = m_session.shownPicture().grey();
        const auto e = inspect::evidence(*m_session.prepared(), *capture, *item, s->id);
        const int x = int(std::lround(picture.x)), y = int(std::lround(picture.y));
        if (e && e->takes && grey.contains(x, y)) {
            const double level = grey.levelAt(x, y);
            bool placed = false;
            const auto regions = inspect::Placing(m_session.prepared()->recipe(), item).regions(*s, placed);
            const StepKind* kind = findKind(s->kind);
            const auto region = kind->regions.empty() ? regions.end() : regions.find(kind->regions.front().key);
            if (region != regions.end() && !region->second.contains(picture))
                why = tr("this place lies outside the region");
            else if (e->mask) why = e->mask->row(y)[x] ? tr("this place is taken") : tr("this place is not taken");
            else
                why = level < e->low || level > e->high ? tr("not taken: grey level %1, taken are %2 to %3")
                                                              .arg(level, 0, 'f', 0)
                                                              .arg(std::max(0.0, e->low), 0, 'f', 0)
                                                              .arg(std::min(255.0, e->high), 0, 'f', 0)
                                                        : tr("taken, but no object of its own here");
        }
    }
    m_session.point(Session::Pointed{picture, 4, 4, 0, false});
    m_words->setText(why);
    emit explained(q(s->name) + QStringLiteral(": ") + why);
}

void ObjectsView::example(bool wanted)
{
    const int row = chosen();
    if (row < 0) return emit m_session.said(tr("Choose an object in the table or on the sheet first"));
    const auto& r = m_told.rows[std::size_t(row)];
    const std::string where = picture();
    const auto same = [&](const Example& e) { return e.picture == where && geometry::distance(e.at, r.at) < 1; };
    const auto it = std::find_if(m_examples.begin(), m_examples.end(), same);
    if (it == m_examples.end()) m_examples.push_back({where, r.at, r.values, wanted});
    else if (it->wanted == wanted) m_examples.erase(it); // once more takes it back
    else it->wanted = wanted;
    refreshExamples();
}

void ObjectsView::refreshExamples()
{
    std::map<int, bool> marks;
    std::vector<inspect::Values> wanted, unwanted;
    for (const Example& e : m_examples) {
        if (e.values.size() == m_told.columns.size()) (e.wanted ? wanted : unwanted).push_back(e.values);
        if (e.picture != picture()) continue;
        for (std::size_t i = 0; i < m_told.rows.size(); ++i)
            if (geometry::distance(m_told.rows[i].at, e.at) < 1) marks[int(i)] = e.wanted;
    }
    m_model->mark(marks);
    m_picked.reset();
    const Step* s = m_session.selectedStep();
    const StepKind* kind = s ? findKind(s->kind) : nullptr;
    const bool can = kind && kind->hasFilters;
    for (QPushButton* b : {m_like, m_unlike}) b->setVisible(can);
    m_take->setVisible(can && !m_examples.empty());
    m_examplesText->setVisible(can && !m_examples.empty());
    if (!can || m_examples.empty()) return;
    // Where a thing lies says nothing about what it is.
    std::vector<std::string> fixed;
    for (const auto& c : m_told.columns)
        if (const OutputSpec* o = kind->output(c.key); !o || !o->filters || o->place) fixed.push_back(c.key);
    auto picked = inspect::pick(m_told.columns, wanted, unwanted, fixed);
    const QString counts = tr("%1 like, %2 not").arg(wanted.size()).arg(unwanted.size());
    if (!picked) {
        m_examplesText->setText(counts + QStringLiteral(" · ") + q(picked.error().message));
        m_take->setEnabled(false);
        return;
    }
    QStringList words;
    for (const Filter& f : picked->filters) {
        const auto& c = m_told.columns[std::size_t(m_told.column(f.output))];
        const QString unit = QString::fromUtf8(base::symbol(c.unit));
        QString range = f.low && f.high ? tr("%1 to %2").arg(figure(*f.low), figure(*f.high))
                        : f.low         ? QStringLiteral("≥ ") + figure(*f.low)
                                        : QStringLiteral("≤ ") + figure(*f.high);
        words << q(c.label) + QStringLiteral(" ") + range + (unit.isEmpty() ? QString() : QStringLiteral(" ") + unit);
    }
    m_examplesText->setText(counts + QStringLiteral(" · ") + words.join(tr(" and ")) +
                            tr(" · margin %1 %").arg(100 * picked->margin, 0, 'f', 0));
    m_take->setEnabled(true);
    m_picked = std::move(*picked);
}

void ObjectsView::takeFilters()
{
    const Step* s = m_session.selectedStep();
    if (!m_picked || !s) return;
    auto filters = s->filters;
    for (const Filter& f : m_picked->filters) {
        const auto it =
            std::find_if(filters.begin(), filters.end(), [&](const Filter& x) { return x.output == f.output; });
        if (it == filters.end()) filters.push_back(f);
        else *it = f;
    }
    const auto edit = [&](Step& step) { step.filters = filters; };
    if (m_session.draft()) m_session.editDraft(edit);
    else m_session.change(tr("filter by example"), [&, id = s->id](Recipe& r) { edit(*r.find(id)); });
    m_examples.clear();
    refreshExamples();
    emit m_session.said(
        tr("%1 made of the examples").arg(counted(qsizetype(filters.size()), tr("filter"), tr("filters"))));
}

} // namespace desktop
