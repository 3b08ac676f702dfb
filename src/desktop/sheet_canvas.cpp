#include "desktop/sheet_canvas.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>
#include <cmath>

namespace desktop
{

namespace
{
// Means of 2 × 2 pixels of 1, 3 or 4 bytes; an odd last row or column is left out.
QImage halved(const QImage& in)
{
    const int bytes = in.depth() / 8, w = in.width() / 2, h = in.height() / 2;
    if (w < 1 || h < 1 || in.depth() % 8 != 0) return {};
    QImage out(w, h, in.format());
    for (int y = 0; y < h; ++y) {
        const uchar *a = in.constScanLine(2 * y), *b = in.constScanLine(2 * y + 1);
        uchar* to = out.scanLine(y);
        for (int x = 0; x < w; ++x, a += 2 * bytes, b += 2 * bytes)
            for (int k = 0; k < bytes; ++k) *to++ = uchar((a[k] + a[k + bytes] + b[k] + b[k + bytes] + 2) / 4);
    }
    return out;
}
} // namespace

SheetCanvas::SheetCanvas(QWidget* parent) : QWidget(parent) {}

void SheetCanvas::setPicture(QImage picture)
{
    const QSize before = m_picture.size();
    m_picture = std::move(picture);
    m_half = m_picture.width() > 1200 ? halved(m_picture) : QImage();
    m_scaledFor = {};
    if (m_picture.size() != before || m_fitted) fitPicture();
}

void SheetCanvas::paintPicture(QPainter& p, bool fast)
{
    // The scaled picture is kept while the view stands still.
    const QTransform t = toScreen();
    if (m_zoom >= 1) {
        const QRectF seen = t.inverted().mapRect(QRectF(rect())).intersected(QRectF(m_picture.rect()));
        const QRect whole = seen.toAlignedRect().intersected(m_picture.rect());
        p.save();
        p.setTransform(t, true);
        if (m_turn != 0) p.setRenderHint(QPainter::SmoothPixmapTransform);
        p.drawImage(QRectF(whole), m_picture, QRectF(whole));
        p.restore();
        return;
    }
    const QSizeF target = QSizeF(m_picture.size()) * m_zoom;
    const QSize wanted = (target * devicePixelRatioF()).toSize().expandedTo({1, 1});
    if (m_scaledFor != wanted || (m_scaledFast && !fast)) {
        const bool small = m_half.width() >= wanted.width() && m_half.height() >= wanted.height();
        m_scaled = QPixmap::fromImage(
            (small ? m_half : m_picture)
                .scaled(wanted, Qt::IgnoreAspectRatio, fast ? Qt::FastTransformation : Qt::SmoothTransformation));
        m_scaledFor = wanted, m_scaledFast = fast;
    }
    if (m_turn == 0) return p.drawPixmap(QRectF(m_offset, target), m_scaled, QRectF(m_scaled.rect()));
    p.save();
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.setTransform(t, true);
    p.drawPixmap(QRectF(m_picture.rect()), m_scaled, QRectF(m_scaled.rect()));
    p.restore();
}

void SheetCanvas::centre(double zoom)
{
    m_zoom = std::max(1e-3, zoom);
    m_offset = {};
    m_offset = QPointF(width() / 2.0, height() / 2.0) - toScreen().map(QRectF(m_picture.rect()).center());
}

void SheetCanvas::fitPicture()
{
    m_fitted = true;
    m_fitMode = 1;
    if (m_picture.isNull()) return;
    QTransform turned;
    turned.rotateRadians(-m_turn);
    const QRectF box = turned.mapRect(QRectF(m_picture.rect()));
    centre(std::min((width() - 16.0) / box.width(), (height() - 16.0) / box.height()));
    update();
}

void SheetCanvas::zoomBy(double factor)
{
    const QPointF c = rect().contains(m_pointer.toPoint()) ? m_pointer : QPointF(width() / 2.0, height() / 2.0);
    const double to = std::clamp(m_zoom * factor, 0.01, 64.0);
    m_offset = c - (c - m_offset) * (to / m_zoom);
    m_zoom = to;
    m_fitted = false;
    m_fitMode = 2;
    update();
}

void SheetCanvas::resizeEvent(QResizeEvent*)
{
    m_scaledFor = {};
    if (m_fitted) fitPicture();
}

void SheetCanvas::mousePressEvent(QMouseEvent* e)
{
    m_pressed = m_pointer = e->position();
    m_panning = e->button() == Qt::MiddleButton || e->button() == Qt::LeftButton;
    m_panStart = m_offset;
}

void SheetCanvas::mouseMoveEvent(QMouseEvent* e)
{
    m_pointer = e->position();
    if (!m_panning || m_picture.isNull()) return;
    m_offset = m_panStart + (m_pointer - m_pressed);
    m_fitted = false;
    update();
}

void SheetCanvas::mouseReleaseEvent(QMouseEvent*)
{
    m_panning = false;
    redrawPicture();
    update();
}

void SheetCanvas::mouseDoubleClickEvent(QMouseEvent*) { fitPicture(); }

void SheetCanvas::wheelEvent(QWheelEvent* e)
{
    m_pointer = e->position();
    if (m_picture.isNull()) return;
    // Two fingers move the picture; with Ctrl they come closer, as the wheel does.
    const bool fingers = e->pointingDevice() && e->pointingDevice()->type() == QInputDevice::DeviceType::TouchPad;
    if (!fingers || e->modifiers().testFlag(Qt::ControlModifier))
        return zoomBy(std::pow(1.0015, e->angleDelta().y() ? e->angleDelta().y() : e->angleDelta().x()));
    m_offset += e->pixelDelta().isNull() ? QPointF(e->angleDelta()) / 4 : QPointF(e->pixelDelta());
    m_fitted = false;
    update();
}

} // namespace desktop
