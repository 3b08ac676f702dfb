// distribution_view.h - how the chosen check's values lie, on the value axis of the run chart beside it: what is under the
// limits in force filled, what is older outlined; capability and what it assumes. With a second check, one against the
// other.
#pragma once
#include "desktop/records/run_chart.h"

namespace desktop
{

class DistributionView : public QWidget
{
    Q_OBJECT
public:
    DistributionView(RecordsModel& model, RunChart& chart, QWidget* parent);
    QStringList said() const; // its lines, from above

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    bool event(QEvent*) override;

private:
    struct Line {
        QString text;
        enum class Sign { None, Yes, No } sign = Sign::None;
        bool bold = false;
    };
    std::vector<Line> head() const; // capability
    std::vector<Line> foot() const; // what it assumes
    void rework();
    void paintBins(QPainter& p) const;
    void paintScatter(QPainter& p) const;
    void write(QPainter& p, const std::vector<Line>& lines, double top) const;
    QRectF field() const;
    double xOf(double second) const;
    bool scatters() const { return m_model.view().second >= 0; }

    RecordsModel& m_model;
    RunChart& m_chart;
    std::vector<QPointF> m_points; // second, chosen; of the scatter
    std::vector<std::uint8_t> m_failed;
    double m_low = 0, m_high = 1; // of the second check
    std::optional<QPointF> m_pressed;
    QPointF m_now;
};

} // namespace desktop
