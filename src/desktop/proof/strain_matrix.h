// strain_matrix.h - every check under every change: bars against what is expected, the weakest first. Arrows walk,
// Enter opens the picture that turned, F3 the next cell that gives way.
#pragma once
#include "proof/proof.h"

#include <QAbstractScrollArea>

namespace desktop
{

class StrainMatrix : public QAbstractScrollArea
{
    Q_OBJECT
public:
    static constexpr int kRow = 29, kHead = 40;
    explicit StrainMatrix(QWidget* parent = nullptr);
    void show(std::shared_ptr<const proof::Proof> proof, bool old);
    int row() const { return m_row; }
    int column() const { return m_column; }
    void choose(int row, int column);
    bool chooseNextShort(); // false: there is none
    const proof::StrainRow* chosenRow() const;
    const proof::Cell* chosenCell() const;
    QSize sizeHint() const override { return {900, 320}; }
    QString textAt(int row, int column) const; // in words: for tooltips and those who cannot see it

signals:
    void chosen();
    void opened(); // Enter or a double click

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool viewportEvent(QEvent*) override;

private:
    int names() const;   // px of the row heads
    double wide() const; // px of a column
    void reach();
    std::pair<int, int> at(QPoint p) const;
    std::shared_ptr<const proof::Proof> m_proof;
    bool m_old = false;
    int m_row = 0, m_column = 0;
};

} // namespace desktop
