#include "desktop/region_numbers.h"

#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QWheelEvent>

namespace desktop
{
using geometry::Region;
using geometry::Shape;

namespace
{
class Number : public QDoubleSpinBox
{
public:
    using QDoubleSpinBox::QDoubleSpinBox;
    void wheelEvent(QWheelEvent* e) override
    {
        if (hasFocus()) QDoubleSpinBox::wheelEvent(e);
        else e->ignore();
    }
};
constexpr int kMostTyped = 24; // corners; more of them are drawn, not typed
} // namespace

RegionNumbers::RegionNumbers(Region region, QWidget* parent) : QWidget(parent), m_region(std::move(region))
{
    m_grid = new QGridLayout(this);
    m_grid->setContentsMargins(0, 0, 0, 0);
    m_grid->setHorizontalSpacing(4);
    m_grid->setVerticalSpacing(3);
    m_grid->setColumnStretch(1, 1);
    m_grid->setColumnStretch(2, 1);
    const QString px = QStringLiteral(" px");
    Region& r = m_region;
    const auto centre = [&] { pair(tr("Centre"), {{"centre_x", &r.centre.x}, {"centre_y", &r.centre.y}}, px); };
    switch (r.shape) {
    case Shape::Whole: break;
    case Shape::Window:
        pair(tr("From"), {{"from_x", &r.from.x}, {"from_y", &r.from.y}}, px);
        pair(tr("To"), {{"to_x", &r.to.x}, {"to_y", &r.to.y}}, px);
        pair(tr("Width"), {{"width", &r.width}}, px);
        break;
    case Shape::Rectangle:
        centre();
        pair(tr("Size"), {{"width", &r.width}, {"height", &r.height}}, px);
        angle(tr("Turn"), "angle", &r.angle);
        break;
    case Shape::Circle:
        centre();
        pair(tr("Radius"), {{"radius", &r.outer}}, px);
        break;
    case Shape::Ring:
    case Shape::Arc:
        centre();
        pair(tr("Radii"), {{"inner", &r.inner}, {"outer", &r.outer}}, px);
        if (r.shape == Shape::Ring) break;
        angle(tr("Begins at"), "start", &r.start);
        angle(tr("Sweep"), "sweep", &r.sweep);
        break;
    case Shape::Polygon:
    case Shape::Polyline:
        if (r.shape == Shape::Polyline) pair(tr("Width"), {{"width", &r.width}}, px);
        for (std::size_t i = 0; i < r.points.size() && i < kMostTyped; ++i) {
            const QString n = QString::number(i + 1);
            pair(tr("Corner %1").arg(n), {{"x" + n, &r.points[i].x}, {"y" + n, &r.points[i].y}}, px);
        }
        break;
    }
}

void RegionNumbers::pair(const QString& words, const std::vector<std::pair<QString, double*>>& fields,
                         const QString& unit)
{
    m_grid->addWidget(new QLabel(words, this), m_row, 0);
    int column = 1;
    for (const auto& [key, value] : fields) {
        auto* box = new Number(this);
        box->setObjectName(QStringLiteral("region_") + key);
        box->setAccessibleName(words + QLatin1Char(' ') + key);
        box->setDecimals(2);
        box->setRange(-100000, 100000);
        box->setSuffix(unit);
        box->setValue(*value);
        box->setKeyboardTracking(false);
        box->setMinimumWidth(84);
        connect(box, &QDoubleSpinBox::valueChanged, this, [this, value = value, key = key](double v) {
            const double before = *value;
            *value = v;
            if (auto ok = m_region.check(); !ok) {
                *value = before;
                emit problem(QString::fromStdString(ok.error().message));
                return;
            }
            emit changed(m_region, key);
        });
        m_grid->addWidget(box, m_row, column++);
    }
    ++m_row;
}

void RegionNumbers::angle(const QString& words, const QString& key, double* radians)
{
    m_grid->addWidget(new QLabel(words, this), m_row, 0);
    auto* box = new Number(this);
    box->setObjectName(QStringLiteral("region_") + key);
    box->setAccessibleName(words);
    box->setDecimals(2);
    box->setRange(-360, 360);
    box->setSuffix(QStringLiteral("°"));
    box->setToolTip(tr("Counter-clockwise as seen"));
    box->setValue(geometry::degrees(*radians));
    box->setKeyboardTracking(false);
    connect(box, &QDoubleSpinBox::valueChanged, this, [this, radians, key](double v) {
        const double before = *radians;
        *radians = geometry::radians(v);
        if (auto ok = m_region.check(); !ok) {
            *radians = before;
            emit problem(QString::fromStdString(ok.error().message));
            return;
        }
        emit changed(m_region, key);
    });
    m_grid->addWidget(box, m_row++, 1);
}

} // namespace desktop
