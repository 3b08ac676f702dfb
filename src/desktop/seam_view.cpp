#include "desktop/seam_view.h"

#include "report/theme.h"

#include <QMouseEvent>
#include <QPainter>

namespace desktop
{
namespace
{
constexpr double kEnlarged = 400; // arrows: 0.05 px left over are 20 px long
} // namespace

SeamMap::SeamMap(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("seamMap"));
    setAccessibleName(tr("Tiles and seams"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setMinimumHeight(120);
}

void SeamMap::show(JoinedShownPtr joined, int seam)
{
    if (joined != m_joined) m_small = {};
    m_joined = std::move(joined);
    m_seam = seam;
    update();
}

QRectF SeamMap::place() const
{
    if (!m_joined) return {};
    const QSizeF whole(m_joined->whole.width(), m_joined->whole.height());
    const QSizeF fits = whole.scaled(width() - 16, height() - 16, Qt::KeepAspectRatio);
    return {QPointF((width() - fits.width()) / 2, (height() - fits.height()) / 2), fits};
}

void SeamMap::paintEvent(QPaintEvent*)
{
    const auto& th = report::theme();
    QPainter p(this);
    p.fillRect(rect(), th.paper);
    p.setRenderHint(QPainter::Antialiasing);
    if (!m_joined) {
        p.setPen(th.second);
        p.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("no tiles yet: state rows and columns, or find the plan from the picture in view"));
        return;
    }
    const QRectF at = place();
    if (m_small.isNull())
        m_small = m_joined->whole.scaled(at.size().toSize() * devicePixelRatioF(), Qt::IgnoreAspectRatio,
                                         Qt::SmoothTransformation);
    p.drawImage(at, m_small);
    const double scale = at.width() / m_joined->whole.width();
    const auto toView = [&](double x, double y) { return at.topLeft() + QPointF(x, y) * scale; };
    const image::Joined& how = m_joined->how;
    for (const auto& t : how.tiles) {
        const QRectF box(toView(t.x, t.y), QSizeF(t.width, t.height) * scale);
        if (!t.there) report::hatch(p, box, th.fail, 8);
        p.setPen(QPen(t.there ? report::lightTheme().datum : th.fail, 1.4, Qt::DashLine));
        p.setBrush(Qt::NoBrush);
        p.drawRect(box);
        const QString text = QString::fromStdString(t.name) + (t.there ? QString() : tr(" missing"));
        const QRectF plate(box.center() - QPointF(0, 10), QSizeF(p.fontMetrics().horizontalAdvance(text) + 10, 20));
        p.fillRect(plate.translated(-plate.width() / 2, 0), th.paper);
        p.setPen(t.there ? th.ink : th.fail);
        p.drawText(plate.translated(-plate.width() / 2, 0), Qt::AlignCenter, text);
    }
    for (std::size_t i = 0; i < how.seams.size(); ++i) {
        const auto& s = how.seams[i];
        const QRectF strip(toView(s.left, s.top), toView(s.right, s.low));
        if (int(i) == m_seam) {
            p.setPen(QPen(report::lightTheme().datum, 2));
            p.setBrush(QColor(59, 72, 181, 60));
            p.drawRect(strip);
        }
        p.setBrush(Qt::NoBrush);
        if (!s.seen) continue;
        const QPointF from = strip.center(), by(s.dx * kEnlarged, s.dy * kEnlarged);
        p.setPen(QPen(th.paper, 5)), p.drawLine(from, from + by), p.drawEllipse(from, 4, 4);
        p.setPen(QPen(s.residual() > 0.5 ? th.fail : th.pass, 2)), p.drawLine(from, from + by),
            p.drawEllipse(from, 4, 4);
    }
}

void SeamMap::mousePressEvent(QMouseEvent* e)
{
    if (!m_joined) return;
    const QRectF at = place();
    const QPointF q = (e->position() - at.topLeft()) * (m_joined->whole.width() / std::max(1.0, at.width()));
    const auto& seams = m_joined->how.seams;
    for (std::size_t i = 0; i < seams.size(); ++i)
        if (q.x() >= seams[i].left && q.x() <= seams[i].right && q.y() >= seams[i].top && q.y() <= seams[i].low)
            return emit chosen(int(i));
}

SeamCloseUp::SeamCloseUp(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("seamCloseUp"));
    setAccessibleName(tr("Seam close up"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
    setMinimumHeight(150);
}
void SeamCloseUp::show(JoinedShownPtr joined, int seam)
{
    m_joined = std::move(joined), m_seam = seam;
    update();
}
void SeamCloseUp::setShows(Shows what)
{
    m_shows = what;
    update();
}

void SeamCloseUp::paintEvent(QPaintEvent*)
{
    const auto& th = report::theme();
    QPainter p(this);
    p.fillRect(rect(), th.paper);
    if (!m_joined || m_seam < 0 || m_seam >= int(m_joined->how.seams.size())) {
        p.setPen(th.second);
        p.drawText(rect(), Qt::AlignCenter, tr("choose a seam: it is shown here, and by either tile alone"));
        return;
    }
    const image::Joined& how = m_joined->how;
    const auto& s = how.seams[std::size_t(m_seam)];
    // Twice as large, about the seam's middle.
    constexpr double kZoom = 2;
    const QPointF middle((s.left + s.right) / 2.0, (s.top + s.low) / 2.0);
    p.translate(rect().center());
    p.scale(kZoom, kZoom);
    p.translate(-middle);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    if (m_shows == Shows::Joined) {
        p.drawImage(QPointF(0, 0), m_joined->whole);
    } else {
        const int tile = m_shows == Shows::First ? s.first : s.second;
        const auto& t = how.tiles[std::size_t(tile)];
        p.drawImage(QPointF(t.x, t.y), m_joined->tiles[std::size_t(tile)]);
    }
    p.resetTransform();
    const QString text = m_shows == Shows::Joined
                             ? tr("joined")
                             : tr("tile %1 alone")
                                   .arg(QString::fromStdString(
                                       how.tiles[std::size_t(m_shows == Shows::First ? s.first : s.second)].name));
    const QRectF plate(8, 8, p.fontMetrics().horizontalAdvance(text) + 14, 22);
    p.fillRect(plate, th.paper);
    p.setPen(th.ink);
    p.drawText(plate, Qt::AlignCenter, text);
}

} // namespace desktop
