#include "desktop/turning_view.h"

#include "report/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace desktop
{
using geometry::Point;
using namespace recipe;
using report::theme;

TurningWidget::TurningWidget(Session& session, QWidget* parent) : QWidget(parent), m_session(session)
{
    setObjectName(QStringLiteral("turningView"));
    setAccessibleName(tr("Turning view"));
    setFocusPolicy(Qt::StrongFocus);
    setMinimumHeight(160);
    setToolTip(tr(
        "Left drag turns, middle or Shift drag moves, wheel zooms, double click is home; keys: arrows, + and -, Home"));
    for (const auto signal : {&Session::trialChanged, &Session::resultsChanged, &Session::viewChanged,
                              &Session::selectionChanged, &Session::recipeChanged})
        connect(&session, signal, this, &TurningWidget::refresh);
}

void TurningWidget::refresh()
{
    if (isVisible()) update();
}

void TurningWidget::home()
{
    m_view = {};
    update();
}

// Height of the base under a place, over 0 of the scale.
double TurningWidget::groundAt(const Step& step, Point place) const
{
    const auto* item = m_session.currentItem();
    const auto base = step.inputs.find("base");
    if (!item || base == step.inputs.end()) return 0;
    const auto* found = item->step(base->second);
    if (!found) return 0;
    for (const auto& [key, f] : found->features)
        if (const auto* plane = std::get_if<geometry::HeightPlane>(&f)) return plane->at(place);
    return 0;
}

void TurningWidget::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    m_labels.clear(), m_plates.clear();
    const image::Picture& shown = m_session.shownPicture();
    const auto range = m_session.heightRange();
    if (shown.content != image::Content::Height || !range) {
        p.fillRect(rect(), th.paper);
        p.setPen(th.second);
        p.setFont(report::uiFont(13));
        p.drawText(rect().adjusted(16, 16, -16, -16), Qt::AlignCenter | Qt::TextWordWrap,
                   shown.content != image::Content::Height ? tr("This picture holds light, not heights")
                                                           : tr("No point in this picture"));
        return;
    }
    if (m_of != &shown || m_held != m_session.capture()) {
        m_of = &shown, m_held = m_session.capture();
        const double mm = m_session.recipe().mmPerPixel();
        m_relief = std::make_unique<report::Relief>(shown, mm > 0 ? mm : shown.scale->pixelMm);
        m_body = {};
    }
    if (m_body.isNull() || m_drawnFor != m_view || m_drawnSize != size() || m_drawnRange != range) {
        const QColor ground = th.dark ? QColor("#1B222B") : QColor("#F2EFE8");
        m_body = m_relief->draw(size(), m_view, *range, ground.rgb());
        m_drawnFor = m_view, m_drawnSize = size(), m_drawnRange = range;
    }
    p.drawImage(QPoint(0, 0), m_body);
    p.setRenderHint(QPainter::Antialiasing);
    paintRegions(p);
    paintPlaces(p);
}

// Outlines of the chosen step's regions, lying on the base.
void TurningWidget::paintRegions(QPainter& p)
{
    const Step* s = m_session.selectedStep();
    const auto* item = m_session.currentItem();
    if (!s || !item) return;
    bool placed = false;
    const auto regions = inspect::Placing(m_session.prepared()->recipe(), item).regions(*s, placed);
    for (const auto& [key, region] : regions)
        for (const auto& outline : region.outlines(48)) {
            QPolygonF line;
            for (const Point q : outline) line << at(q, groundAt(*s, q));
            p.setBrush(Qt::NoBrush);
            p.setPen(QPen(QColor(255, 255, 255, 200), 3));
            p.drawPolygon(line);
            p.setPen(QPen(report::lightTheme().datum, 1.4, Qt::DashLine));
            p.drawPolygon(line);
        }
}

// Every place as a box from its low to its high limit; bodies may hide behind each other, names never.
void TurningWidget::paintPlaces(QPainter& p)
{
    const auto* item = m_session.currentItem();
    if (!item) return;
    struct Named {
        QPointF to;
        QString text;
    };
    std::vector<Named> failing;
    for (const Step& s : m_session.prepared()->recipe().steps) {
        const StepKind* kind = findKind(s.kind);
        const auto* result = item->step(s.id);
        if (!kind || !result || result->state != inspect::State::Ok || kind->pictures.empty() ||
            !kind->pictures.front().height)
            continue;
        const inspect::CheckResult* heights = nullptr;
        for (const auto& c : item->checks)
            if (c.step == s.id && c.list && c.unit == base::Unit::Millimetre && !c.elements.empty()) {
                heights = &c;
                break;
            }
        if (!heights) continue;
        std::set<int> named;
        for (const Mark& m : result->marks) {
            if (m.shape != MarkShape::Polygon || m.element <= 0) continue;
            const inspect::ElementResult* e = nullptr;
            for (const auto& one : heights->elements)
                if (one.listed == m.element - 1) e = &one;
            if (!e) continue;
            bool fails = e->verdict == inspect::Verdict::Fail;
            QString why = fails && e->value < 0                                                   ? tr("missing")
                          : fails && e->high && heights->values[std::size_t(e->value)] > *e->high ? tr("too high")
                          : fails                                                                 ? tr("too low")
                                                                                                  : QString();
            // Another list of the same step may fail there, as the covered share does.
            for (const auto& c : item->checks)
                if (&c != heights && c.step == s.id && c.list)
                    for (const auto& one : c.elements)
                        if (one.listed == m.element - 1 && one.verdict == inspect::Verdict::Fail && !fails)
                            fails = true, why = QString::fromStdString(c.name);
            const double low = e->low.value_or(0), high = e->high.value_or(low);
            QPolygonF bottom, top;
            for (const Point q : m.points) {
                const double ground = groundAt(s, q);
                bottom << at(q, ground + low);
                top << at(q, ground + high);
            }
            const QColor colour = fails ? report::lightTheme().fail : report::lightTheme().pass;
            for (const bool casing : {true, false}) {
                p.setPen(QPen(casing ? QColor(255, 255, 255, 190) : colour, (fails ? 2.4 : 1.1) + (casing ? 2 : 0)));
                p.setBrush(Qt::NoBrush);
                p.drawPolygon(bottom);
                p.drawPolygon(top);
                const int every = std::max(1, int(bottom.size()) / 8);
                for (int i = 0; i < bottom.size(); i += bottom.size() <= 8 ? 1 : every) p.drawLine(bottom[i], top[i]);
            }
            QPointF middle;
            for (const QPointF& q : top) middle += q / double(top.size());
            const QString name = QString::fromStdString(e->name);
            if (fails && named.insert(m.element).second) failing.push_back({middle, name + QLatin1Char(' ') + why});
            else if (!fails && named.insert(m.element).second && heights->elements.size() <= 60)
                paintLabel(p, middle, name, false);
        }
    }
    for (const Named& n : failing) paintLabel(p, n.to, n.text, true);
}

void TurningWidget::paintLabel(QPainter& p, QPointF to, const QString& text, bool fails)
{
    const report::Theme& th = report::lightTheme();
    p.setFont(report::sheetFont(fails ? 15 : 13));
    const double wide = p.fontMetrics().horizontalAdvance(text) + (fails ? 28 : 8), high = fails ? 22 : 17;
    QRectF box(to.x() - wide / 2, to.y() - high / 2, wide, high);
    if (fails) {
        // Off to the nearer side, clear of the names that stand already.
        box.moveCenter(to + QPointF(to.x() > width() / 2.0 ? 26 : -26, -40));
        for (int tries = 0; tries < 40 && std::any_of(m_plates.begin(), m_plates.end(),
                                                      [&](const QRectF& q) { return q.intersects(box); });
             ++tries)
            box.translate(0, tries % 2 ? (tries + 1) * 12 : -(tries + 1) * 12);
    }
    box.moveLeft(std::clamp(box.left(), 4.0, std::max(4.0, width() - box.width() - 4)));
    box.moveTop(std::clamp(box.top(), 4.0, std::max(4.0, height() - box.height() - 4)));
    if (fails) {
        p.setPen(QPen(th.paper, 3.4));
        p.drawLine(box.center(), to);
        p.setPen(QPen(th.fail, 1.6));
        p.drawLine(box.center(), to);
    }
    p.setPen(QPen(fails ? th.fail : th.pass, fails ? 1.8 : 1));
    p.setBrush(th.paper);
    p.drawRect(box);
    p.setPen(fails ? th.fail : th.pass);
    p.drawText(fails ? box.adjusted(6, 0, -18, 0) : box, Qt::AlignCenter, text);
    if (fails) report::drawCross(p, QRectF(box.right() - 17, box.center().y() - 5, 10, 10), th.fail, 2);
    m_plates.push_back(box);
    m_labels << text;
}

bool TurningWidget::event(QEvent* e)
{
    if (e->type() == QEvent::ShortcutOverride) switch (static_cast<QKeyEvent*>(e)->key()) {
        case Qt::Key_Left:
        case Qt::Key_Right:
        case Qt::Key_Up:
        case Qt::Key_Down:
        case Qt::Key_Plus:
        case Qt::Key_Minus:
        case Qt::Key_Home: e->accept(); return true;
        default: break;
        }
    return QWidget::event(e);
}

void TurningWidget::mousePressEvent(QMouseEvent* e)
{
    setFocus(Qt::MouseFocusReason);
    m_pressed = m_last = e->position();
    m_button = e->button();
}

void TurningWidget::mouseMoveEvent(QMouseEvent* e)
{
    if (m_button == Qt::NoButton) return;
    const QPointF d = e->position() - m_last;
    m_last = e->position();
    if (m_button == Qt::MiddleButton || (m_button == Qt::LeftButton && e->modifiers().testFlag(Qt::ShiftModifier)))
        m_view.shift += d;
    else if (m_button == Qt::LeftButton) {
        m_view.turn += d.x() * 0.4;
        m_view.rise = std::clamp(m_view.rise + d.y() * 0.3, 5.0, 90.0);
    }
    update();
}

void TurningWidget::mouseReleaseEvent(QMouseEvent*) { m_button = Qt::NoButton; }
void TurningWidget::mouseDoubleClickEvent(QMouseEvent*) { home(); }

void TurningWidget::wheelEvent(QWheelEvent* e)
{
    m_view.zoom = std::clamp(m_view.zoom * std::pow(1.0015, e->angleDelta().y()), 0.2, 40.0);
    update();
}

void TurningWidget::keyPressEvent(QKeyEvent* e)
{
    switch (e->key()) {
    case Qt::Key_Left: m_view.turn -= 5; break;
    case Qt::Key_Right: m_view.turn += 5; break;
    case Qt::Key_Up: m_view.rise = std::min(90.0, m_view.rise + 5); break;
    case Qt::Key_Down: m_view.rise = std::max(5.0, m_view.rise - 5); break;
    case Qt::Key_Plus: m_view.zoom = std::min(40.0, m_view.zoom * 1.2); break;
    case Qt::Key_Minus: m_view.zoom = std::max(0.2, m_view.zoom / 1.2); break;
    case Qt::Key_Home: return home();
    default: return QWidget::keyPressEvent(e);
    }
    update();
}

} // namespace desktop
