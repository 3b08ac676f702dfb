// run_chart.h - the chosen check over the chosen items: tolerance as it was for each item, control limits, signs of special
// causes by letter and in words, their spreads below. It stands on the columns of the grid under it.
#pragma once
#include "desktop/records/records_model.h"

#include <QWidget>

class QToolButton;

namespace desktop
{

class RunChart : public QWidget
{
    Q_OBJECT
public:
    RunChart(RecordsModel& model, QWidget* parent);
    // Of a value in the plot, widget px; the same for the histogram beside it.
    double yOf(double value) const;
    double valueAt(double y) const;
    QRectF plot() const;             // of the values
    QString said() const;            // its heading, and the rule hit in words
    double xOf(double column) const; // left edge
    // The value of today's recipe for the item in view.
    void setAgain(std::optional<double> value);

signals:
    void pictureWanted();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    bool event(QEvent*) override;

private:
    struct Hit {
        const records::RuleHit* rule;
        double left, right; // px
        double y;
    };
    QRectF spreads() const; // of the lower chart; empty when there is none
    double middleOf(std::size_t place) const { return xOf(m_model.columnOf(int(place)) + 0.5); }
    int columnAt(double x) const;
    std::vector<Hit> hits() const;
    void paintTolerance(QPainter& p, const QRectF& box) const;
    void paintControl(QPainter& p, const QRectF& box) const;
    void paintValues(QPainter& p, const QRectF& box) const;
    void paintHits(QPainter& p, const QRectF& box) const;
    void paintSpreads(QPainter& p, const QRectF& box) const;
    void paintReleases(QPainter& p, const QRectF& box) const;
    void paintHeading(QPainter& p) const;
    void paintAxis(QPainter& p, const QRectF& box) const;
    void paintHint(QPainter& p) const;
    void refresh();
    QString hitsText(int column) const;

    RecordsModel& m_model;
    QToolButton* m_kind;
    std::optional<double> m_again;
    double m_pressed = -1, m_now = -1;
};

} // namespace desktop
