// evidence_plot.h - a plot whose limits and thresholds are dragged on the plot itself.
#pragma once
#include "report/theme.h"

#include <functional>
#include <qcustomplot.h>

namespace desktop
{

struct PlotHandle {
    QString id, label;
    bool alongX = false; // a vertical line, moved left and right
    double value = 0;
    bool dashed = false; // proposed, not yet taken
};

class EvidencePlot : public QCustomPlot
{
    Q_OBJECT
public:
    explicit EvidencePlot(QWidget* parent = nullptr);
    void clearAll(); // back to an empty plot in the theme's looks
    void setHandles(std::vector<PlotHandle> handles);
    const std::vector<PlotHandle>& handles() const { return m_handles; }
    // Where the square of a handle stands, widget px; for the mouse and for tests.
    QPointF handlePoint(int index) const;
    void band(double low, double high); // the passing range, along y
    void curve(const QVector<double>& x, const QVector<double>& y, const QColor& colour, bool filled = false,
               Qt::PenStyle style = Qt::SolidLine);
    void line(const QVector<double>& x, const QVector<double>& y, const QPen& pen);
    void hatched(double from, double to); // along x: nothing is known there
    void rule(double at, double from, double to, const QString& text, const QColor& colour); // an upright dimension
    void dots(const QVector<double>& x, const QVector<double>& y, const QCPScatterStyle& style);
    void stem(double at, double height, const QString& text, const QColor& colour, bool counts);
    void level(double y, const QColor& colour); // a dashed line across
    void vertical(double at, const QColor& colour);
    void wholeNumbers(bool x, bool y); // these axes count: no figure between two whole ones
    void names(const QString& x, const QString& y);

signals:
    void handleMoved(const QString& id, double value, bool released);
    void clickedAt(double x, double y);

protected:
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;

private:
    int handleAt(QPointF p) const;
    void drawHandles();
    std::vector<PlotHandle> m_handles;
    std::vector<QPointer<QCPAbstractItem>> m_items;
    int m_dragged = -1;
    bool m_fine = false;
    QPointF m_pressed;
    double m_startValue = 0;
};

} // namespace desktop
