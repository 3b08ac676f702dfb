// elided_label.h - a text that ends in … where the room does; the whole stands in its tooltip.
#pragma once
#include <QLabel>
#include <QPainter>

namespace desktop
{

class ElidedLabel : public QLabel
{
public:
    using QLabel::QLabel;

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter p(this);
        p.setPen(palette().color(foregroundRole()));
        p.drawText(rect(), int(Qt::AlignVCenter | (alignment() & Qt::AlignHorizontal_Mask)),
                   fontMetrics().elidedText(text(), Qt::ElideRight, width()));
    }
};

} // namespace desktop
