// turning_view.h - the height picture in view as a body that is turned by the mouse; regions of the chosen step, places
// with their limits as boxes, and what fails by name, drawn over it.
#pragma once
#include "desktop/session.h"
#include "report/relief.h"

#include <QWidget>
#include <memory>

namespace desktop
{

class TurningWidget : public QWidget
{
    Q_OBJECT
public:
    explicit TurningWidget(Session& session, QWidget* parent = nullptr);
    const report::TurningView& view() const { return m_view; }
    const QStringList& labels() const { return m_labels; } // as painted last

public slots:
    void home();
    void refresh();

protected:
    bool event(QEvent*) override; // its keys are its own while it has them
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override {}

private:
    QPointF at(geometry::Point place, double z) const { return m_relief->at(place, z, size(), m_view, *m_drawnRange); }
    double groundAt(const recipe::Step& step, geometry::Point place) const;
    void paintRegions(QPainter& p);
    void paintPlaces(QPainter& p);
    void paintLabel(QPainter& p, QPointF to, const QString& text, bool fails);
    Session& m_session;
    std::unique_ptr<report::Relief> m_relief;
    const image::Picture* m_of = nullptr;
    inspect::CapturePtr m_held; // so that its address is no other's
    report::TurningView m_view;
    QImage m_body;
    report::TurningView m_drawnFor;
    QSize m_drawnSize;
    std::optional<report::HeightRange> m_drawnRange;
    QPointF m_pressed, m_last;
    Qt::MouseButton m_button = Qt::NoButton;
    QStringList m_labels;
    std::vector<QRectF> m_plates;
};

} // namespace desktop
