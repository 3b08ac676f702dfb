// seam_view.h - a picture joined from tiles, looked at: where each tile lies, what every seam leaves over, and one seam
// close up with either tile alone.
#pragma once
#include "image/tiles.h"

#include <QImage>
#include <QWidget>

namespace desktop
{

// What was joined, and what of; shared by the views.
struct JoinedShown {
    image::Joined how;
    QImage whole;
    std::vector<QImage> tiles;
};
using JoinedShownPtr = std::shared_ptr<const JoinedShown>;

// The whole: tiles dashed, arrows for what is left over (enlarged), holes hatched. A click chooses a seam.
class SeamMap : public QWidget
{
    Q_OBJECT
public:
    explicit SeamMap(QWidget* parent = nullptr);
    void show(JoinedShownPtr joined, int seam);
    QSize sizeHint() const override { return {760, 190}; }

signals:
    void chosen(int seam);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void resizeEvent(QResizeEvent*) override { m_small = {}; }

private:
    QRectF place() const; // of the whole picture in the widget
    JoinedShownPtr m_joined;
    QImage m_small;
    int m_seam = -1;
};

// One seam close up: joined, or one of its two tiles alone.
class SeamCloseUp : public QWidget
{
    Q_OBJECT
public:
    enum class Shows { Joined, First, Second };
    explicit SeamCloseUp(QWidget* parent = nullptr);
    void show(JoinedShownPtr joined, int seam);
    void setShows(Shows what);
    Shows shows() const { return m_shows; }
    QSize sizeHint() const override { return {760, 220}; }

protected:
    void paintEvent(QPaintEvent*) override;

private:
    JoinedShownPtr m_joined;
    int m_seam = -1;
    Shows m_shows = Shows::Joined;
};

} // namespace desktop
