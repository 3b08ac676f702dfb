#include "desktop/records/cross_panels.h"

#include "report/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>

namespace desktop
{
namespace
{
constexpr int kGap = 5;
}

CrossPanels::CrossPanels(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("recordPanels"));
    setMouseTracking(true);
}
void CrossPanels::setPanels(const std::array<QWidget*, 6>& panels)
{
    m_panels = panels;
    for (QWidget* p : m_panels) p->setParent(this);
    layOut();
}
void CrossPanels::setSizes(const std::array<int, 3>& sizes)
{
    m_wanted = sizes;
    layOut();
}
void CrossPanels::setLarge(QWidget* panel)
{
    m_large = panel;
    layOut();
}

// Left 440 of 1280 and 560 of 1920, right 108 and 160, upper 320 of 680 and 440 of 960; the middle has the rest.
std::array<int, 3> CrossPanels::real() const
{
    const double wide = std::clamp((width() - 1280) / 640.0, 0.0, 1.0),
                 high = std::clamp((height() - 680) / 280.0, -1.0, 1.5);
    std::array<int, 3> out{m_wanted[0] ? m_wanted[0] : int(440 + 120 * wide),
                           m_wanted[1] ? m_wanted[1] : int(108 + 52 * wide),
                           m_wanted[2] ? m_wanted[2] : int(320 + 120 * high)};
    out[0] = std::clamp(out[0], 360, std::max(360, width() - 400));
    out[1] = std::clamp(out[1], 90, std::max(90, width() - out[0] - 260));
    out[2] = std::clamp(out[2], 180, std::max(180, height() - 180));
    return out;
}
void CrossPanels::layOut()
{
    if (!m_panels[0]) return;
    const auto [left, right, upper] = real();
    for (QWidget* p : m_panels) p->setVisible(!m_large || p == m_large);
    if (m_large) return m_large->setGeometry(rect());
    const int x[] = {0, left + kGap, width() - right}, w[] = {left, width() - left - right - kGap - 1, right};
    for (int i = 0; i < 6; ++i)
        m_panels[std::size_t(i)]->setGeometry(x[i % 3], i < 3 ? 0 : upper + kGap, w[i % 3],
                                              i < 3 ? upper : height() - upper - kGap);
    update();
}
void CrossPanels::resizeEvent(QResizeEvent*) { layOut(); }

int CrossPanels::gripAt(QPoint at) const
{
    if (m_large) return 0;
    const auto [left, right, upper] = real();
    int out = 0;
    if (std::abs(at.x() - left - kGap / 2) <= 4) out |= 1;
    if (std::abs(at.x() - (width() - right)) <= 3) out |= 2;
    if (std::abs(at.y() - upper - kGap / 2) <= 4) out |= 4;
    return out;
}
void CrossPanels::mousePressEvent(QMouseEvent* e) { m_grip = gripAt(e->position().toPoint()); }
void CrossPanels::mouseMoveEvent(QMouseEvent* e)
{
    const QPoint at = e->position().toPoint();
    if (!(e->buttons() & Qt::LeftButton)) {
        const int grip = gripAt(at);
        setCursor(grip == 0         ? Qt::ArrowCursor
                  : grip == 4       ? Qt::SplitVCursor
                  : (grip & 4) == 0 ? Qt::SplitHCursor
                                    : Qt::SizeAllCursor);
        return;
    }
    if (m_grip & 1) m_wanted[0] = at.x();
    if (m_grip & 2) m_wanted[1] = width() - at.x();
    if (m_grip & 4) m_wanted[2] = at.y();
    if (m_grip) layOut();
}
void CrossPanels::mouseReleaseEvent(QMouseEvent*) { m_grip = 0; }
void CrossPanels::mouseDoubleClickEvent(QMouseEvent* e)
{
    if (gripAt(e->position().toPoint())) setSizes({});
}
void CrossPanels::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = report::theme();
    p.fillRect(rect(), th.paper);
    if (m_large) return;
    const auto [left, right, upper] = real();
    p.setPen(th.ink);
    p.drawLine(0, upper + kGap / 2, width(), upper + kGap / 2);
    p.setPen(th.rule);
    p.drawLine(left + kGap / 2, 0, left + kGap / 2, height());
}

} // namespace desktop
