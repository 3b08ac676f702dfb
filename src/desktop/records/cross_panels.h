// cross_panels.h - three columns and two rows of panels with two crossing splitters: what lies above each other is as wide,
// what lies beside each other as high.
#pragma once
#include <QWidget>
#include <array>

namespace desktop
{

class CrossPanels : public QWidget
{
    Q_OBJECT
public:
    explicit CrossPanels(QWidget* parent = nullptr);
    // Upper left, middle, right; lower left, middle, right.
    void setPanels(const std::array<QWidget*, 6>& panels);
    // Widths of the left and right columns and height of the upper row; 0: as the window's size has it.
    std::array<int, 3> sizes() const { return m_wanted; }
    void setSizes(const std::array<int, 3>& sizes);
    void setLarge(QWidget* panel); // alone; null: all
    QWidget* large() const { return m_large; }

protected:
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void paintEvent(QPaintEvent*) override;

private:
    std::array<int, 3> real() const;
    int gripAt(QPoint at) const; // 1 left, 2 right, 4 between the rows; sums where they cross
    void layOut();
    std::array<QWidget*, 6> m_panels{};
    std::array<int, 3> m_wanted{};
    QWidget* m_large = nullptr;
    int m_grip = 0;
};

} // namespace desktop
