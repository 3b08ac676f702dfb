#include "desktop/trace_dialog.h"

#include "base/files.h"
#include "desktop/drawing_view.h"
#include "drawing/dxf.h"
#include "report/theme.h"

#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
using drawing::Element;
using geometry::Point;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
double numberIn(const QLineEdit* edit, double fallback)
{
    bool ok = false;
    const double v = edit->text().replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&ok);
    return ok && v > 0 ? v : fallback;
}
} // namespace

TraceDialog::TraceDialog(Session& session, QWidget* parent) : QDialog(parent), m_session(session)
{
    setObjectName(QStringLiteral("traceDialog"));
    setWindowTitle(tr("Part to drawing"));
    auto* whole = new QVBoxLayout(this);
    auto* middle = new QHBoxLayout;
    m_view = new DrawingView(this);
    m_view->setObjectName(QStringLiteral("traceView"));
    middle->addWidget(m_view, 3);
    auto* side = new QVBoxLayout;
    auto* form = new QFormLayout;
    const auto field = [&](const char* name, const QString& label, const QString& help) {
        auto* edit = new QLineEdit(this);
        edit->setObjectName(QLatin1String(name));
        edit->setToolTip(help);
        form->addRow(label, edit);
        return edit;
    };
    m_tolerance =
        field("traceTolerance", tr("Tolerance, mm"), tr("No point of the outline lies farther from its line or arc"));
    m_tolerance->setText(QString::number(0.5 * session.recipe().mmPerPixel(), 'g', 3));
    m_datum = new QComboBox(this);
    m_datum->setObjectName(QStringLiteral("traceDatum"));
    m_datum->setToolTip(tr("Origin of the drawing: the corner of the box round it, an edge, or a hole"));
    m_second = new QComboBox(this);
    m_second->setObjectName(QStringLiteral("traceSecond"));
    m_second->setToolTip(tr("The x direction runs from the first hole to this one"));
    form->addRow(tr("Datum"), m_datum);
    form->addRow(tr("x towards"), m_second);
    auto* grain = new QHBoxLayout;
    m_grain = new QLineEdit(QStringLiteral("0.1"), this);
    m_grain->setObjectName(QStringLiteral("traceGrain"));
    m_grain->setToolTip(
        tr("Radii, diameters, places of holes and sides along the axes go to the nearest multiple, when it is near"));
    auto* roundAll = new QPushButton(tr("Round"), this);
    roundAll->setObjectName(QStringLiteral("traceRound"));
    grain->addWidget(m_grain);
    grain->addWidget(roundAll);
    form->addRow(tr("Round to, mm"), grain);
    side->addLayout(form);
    m_table = new QTableWidget(this);
    m_table->setObjectName(QStringLiteral("traceTable"));
    m_table->setColumnCount(3);
    m_table->setHorizontalHeaderLabels({tr("Element"), tr("Measured, mm"), tr("Nominal, mm")});
    m_table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_table->verticalHeader()->hide();
    m_table->setAccessibleName(tr("Measured and nominal"));
    side->addWidget(m_table, 1);
    middle->addLayout(side, 3);
    whole->addLayout(middle, 1);
    m_says = new QLabel(this);
    m_says->setObjectName(QStringLiteral("traceSays"));
    m_says->setWordWrap(true);
    whole->addWidget(m_says);
    auto* buttons = new QHBoxLayout;
    m_take = new QPushButton(tr("Take as the recipe's drawing"), this);
    m_take->setObjectName(QStringLiteral("traceTake"));
    m_save = new QPushButton(tr("Save as DXF…"), this);
    m_save->setObjectName(QStringLiteral("traceSave"));
    auto* close = new QPushButton(tr("Close"), this);
    buttons->addStretch(1);
    for (QPushButton* b : {m_take, m_save, close}) buttons->addWidget(b);
    whole->addLayout(buttons);
    connect(close, &QPushButton::clicked, this, &QDialog::reject);
    connect(m_save, &QPushButton::clicked, this, [this] {
        const QString path =
            QFileDialog::getSaveFileName(this, tr("Save drawing"), QStringLiteral("part.dxf"), tr("Drawings (*.dxf)"));
        if (path.isEmpty()) return;
        if (auto ok = save(path); !ok) m_says->setText(q(ok.error().text()));
        else m_says->setText(tr("%1 written").arg(path));
    });
    connect(m_take, &QPushButton::clicked, this, [this] { take(); });
    connect(roundAll, &QPushButton::clicked, this, [this] { round(); });
    connect(m_tolerance, &QLineEdit::editingFinished, this, [this] { trace(); });
    for (QComboBox* box : {m_datum, m_second})
        connect(box, &QComboBox::currentIndexChanged, this, [this] {
            if (!m_filling) reframe();
        });
    connect(m_table, &QTableWidget::cellChanged, this, &TraceDialog::edited);
    trace();
    resize(1080, 640);
}

void TraceDialog::trace()
{
    m_measured.reset();
    m_nominal.reset();
    const image::Picture& shown = m_session.shownPicture();
    if (shown.pixels.empty()) m_says->setText(tr("There is no picture in view"));
    else {
        inspect::TraceSettings s;
        s.toleranceMm = numberIn(m_tolerance, 0);
        auto traced = inspect::trace(shown.grey(), m_session.recipe().calibration, s);
        if (!traced) m_says->setText(tr("This picture gives no drawing: %1").arg(q(traced.error().text())));
        else m_measured = std::move(*traced);
    }
    m_filling = true;
    m_datum->clear();
    m_second->clear();
    m_datum->addItem(tr("lower left of its box"), -1);
    if (m_measured) {
        const auto& elements = m_measured->drawing.elements;
        for (std::size_t i = 0; i < elements.size(); ++i)
            if (elements[i].whole()) {
                m_datum->addItem(tr("hole %1, ⌀%2").arg(i + 1).arg(2 * elements[i].radius, 0, 'f', 2), int(i));
                m_second->addItem(tr("hole %1, ⌀%2").arg(i + 1).arg(2 * elements[i].radius, 0, 'f', 2), int(i));
            }
        for (std::size_t i = 0; i < elements.size(); ++i)
            if (!elements[i].arc && elements[i].length() > 0.15 * std::hypot(m_measured->drawing.box().width(),
                                                                             m_measured->drawing.box().height()))
                m_datum->addItem(tr("edge %1, %2 mm").arg(i + 1).arg(elements[i].length(), 0, 'f', 2), int(i));
        if (m_second->count() > 1) m_second->setCurrentIndex(1);
    }
    m_filling = false;
    m_nominal = m_measured;
    fill();
}

void TraceDialog::reframe()
{
    if (!m_measured) return;
    m_nominal = m_measured;
    const int first = m_datum->currentData().toInt(),
              second = m_second->currentData().isValid() ? m_second->currentData().toInt() : -1;
    const auto& elements = m_measured->drawing.elements;
    m_second->setEnabled(first >= 0 && elements[std::size_t(std::max(0, first))].arc);
    if (first >= 0) {
        const Element& e = elements[std::size_t(first)];
        if (!e.arc) {
            // Material lies above the edge: x runs so.
            Point from = e.from, to = e.to;
            const Point middle = (from + to) * 0.5;
            const drawing::Box box = m_measured->drawing.box();
            const Point centre = drawing::sheet({(box.left + box.right) / 2, (box.bottom + box.top) / 2});
            if (geometry::dot(geometry::leftOf(to - from), centre - middle) < 0) std::swap(from, to);
            inspect::reframe(*m_nominal, from, geometry::angleOf(to - from));
        } else if (second >= 0 && second != first) {
            inspect::reframe(*m_nominal, e.centre, geometry::angleOf(elements[std::size_t(second)].centre - e.centre));
        } else {
            inspect::reframe(*m_nominal, e.centre, 0);
        }
    }
    fill();
}
void TraceDialog::round()
{
    if (!m_nominal) return;
    const double grain = numberIn(m_grain, 0.1);
    reframe();
    const int changed = inspect::roundNominals(*m_nominal, grain, grain / 2);
    fill();
    m_says->setText(m_says->text() + tr(" %1 values were rounded to %2 mm.").arg(changed).arg(grain));
}

void TraceDialog::fill()
{
    m_filling = true;
    m_fields.clear();
    m_table->setRowCount(0);
    m_save->setEnabled(m_nominal.has_value());
    m_take->setEnabled(m_nominal.has_value());
    if (!m_nominal) {
        m_view->show({}, {});
        m_filling = false;
        return;
    }
    std::vector<Point> points;
    double worst = 0;
    for (const auto& o : m_nominal->outlines) {
        points.insert(points.end(), o.points.begin(), o.points.end());
        worst = std::max(worst, o.worstMm);
    }
    m_view->show(m_nominal->drawing, {}, points);
    // Measured in the same frame.
    inspect::Traced measured = *m_measured;
    {
        const geometry::Pose now = m_nominal->laid.pose;
        inspect::reframe(measured, measured.laid.toDrawing(now.origin), now.angle - measured.laid.pose.angle);
    }
    const auto add = [&](const QString& what, double is, double nominal, Field f) {
        const int row = m_table->rowCount();
        m_table->insertRow(row);
        auto* name = new QTableWidgetItem(what);
        auto* value = new QTableWidgetItem(QString::number(is, 'f', 3));
        auto* typed = new QTableWidgetItem(
            QString::number(nominal, 'f', std::abs(nominal * 100 - std::round(nominal * 100)) < 1e-6 ? 2 : 3));
        name->setFlags(name->flags() & ~Qt::ItemIsEditable);
        value->setFlags(value->flags() & ~Qt::ItemIsEditable);
        if (f.element < 0) typed->setFlags(typed->flags() & ~Qt::ItemIsEditable);
        value->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        typed->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        m_table->setItem(row, 0, name);
        m_table->setItem(row, 1, value);
        m_table->setItem(row, 2, typed);
        m_fields.push_back(f);
    };
    const auto& now = m_nominal->drawing.elements;
    for (std::size_t i = 0; i < now.size() && i < 2000; ++i) {
        const Element &e = now[i], &m = measured.drawing.elements[i];
        const int n = int(i) + 1;
        if (e.whole()) {
            add(tr("%1 circle ⌀").arg(n), 2 * m.radius, 2 * e.radius, {int(i), Field::Diameter});
            add(tr("%1 circle x").arg(n), m.centre.x, e.centre.x, {int(i), Field::X});
            add(tr("%1 circle y").arg(n), -m.centre.y, -e.centre.y, {int(i), Field::Y});
        } else if (e.arc) {
            add(tr("%1 arc R").arg(n), m.radius, e.radius, {-1, Field::X});
        } else {
            add(tr("%1 line").arg(n), m.length(), e.length(), {-1, Field::X});
        }
    }
    m_filling = false;
    m_says->setText(tr("%1 elements in %2 outlines; no point lies farther off than %3 mm (tolerance %4).")
                        .arg(now.size())
                        .arg(m_nominal->outlines.size())
                        .arg(worst, 0, 'f', 4)
                        .arg(m_nominal->toleranceMm, 0, 'g', 3));
}
void TraceDialog::edited(int row, int column)
{
    if (m_filling || column != 2 || !m_nominal || std::size_t(row) >= m_fields.size() ||
        m_fields[std::size_t(row)].element < 0)
        return;
    bool ok = false;
    const double v = m_table->item(row, 2)->text().replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&ok);
    const Field f = m_fields[std::size_t(row)];
    Element& e = m_nominal->drawing.elements[std::size_t(f.element)];
    if (ok && std::abs(v) < 1e6 && (f.what != Field::Diameter || v > 0)) {
        Point c = e.centre;
        double r = e.radius;
        if (f.what == Field::Diameter) r = v / 2;
        if (f.what == Field::X) c.x = v;
        if (f.what == Field::Y) c.y = -v;
        const Element old = e;
        e = drawing::arcElement(c, r, 0, 2 * geometry::kPi);
        e.layer = old.layer;
        e.entity = old.entity;
    }
    fill();
}

base::Status TraceDialog::save(const QString& path) const
{
    if (!m_nominal) return base::fail(base::ErrorCode::NotFound, "there is no drawing to save");
    auto bytes = drawing::writeDxf(m_nominal->drawing);
    if (!bytes) return base::passOn(bytes.error());
    return base::writeAtomic(base::realFiles(), path.toStdString(), *bytes);
}
void TraceDialog::take()
{
    if (!m_nominal) return;
    auto bytes = drawing::writeDxf(m_nominal->drawing);
    if (!bytes) return m_says->setText(q(bytes.error().text()));
    auto asset =
        recipe::makeDrawing({}, {"", "drawing.dxf", std::make_shared<const std::string>(std::move(*bytes))}, "traced");
    if (!asset) return m_says->setText(q(asset.error().text()));
    m_session.putDrawing(*asset, {});
    accept();
}

} // namespace desktop
