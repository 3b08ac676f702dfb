// element_map.h - the elements of a list in their own places on the part, each with its verdict; the part level,
// whatever way it lies.
#pragma once
#include "inspect/result.h"

#include <QWidget>

namespace desktop
{

class ElementMap : public QWidget
{
    Q_OBJECT
public:
    struct Spot {
        QPointF at; // in the datum's frame, any unit, y down
        QString name, tip;
        inspect::Verdict verdict = inspect::Verdict::Unjudged;
        bool missing = false, surplus = false;
    };
    explicit ElementMap(QWidget* parent = nullptr);
    void setSpots(std::vector<Spot> spots, int chosen);
    const std::vector<Spot>& spots() const { return m_spots; }
    QRectF boxOf(int spot) const; // widget px

signals:
    void clicked(int spot);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    bool event(QEvent*) override;

private:
    int spotAt(QPointF at) const;
    std::vector<Spot> m_spots;
    int m_chosen = -1;
};

} // namespace desktop
