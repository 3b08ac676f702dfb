// records_grid.h - the lower half of Records: heads of the checks, their cells over the chosen items, how many failed. The
// three share their rows; the cells share their columns with the run chart above.
#pragma once
#include "desktop/records/records_model.h"
#include "records/again.h"

#include <QScrollBar>
#include <QWidget>

class QToolButton;

namespace desktop
{

// Where the rows lie; one for all three.
class RecordRows : public QObject
{
    Q_OBJECT
public:
    RecordRows(RecordsModel& model, QObject* parent);
    static constexpr int kHead = 40, kRow = 26, kVerdict = 27;
    const std::vector<int>& checks() const { return m_checks; } // from above
    int top(int row) const { return kHead + row * kRow - m_offset; }
    int rowAt(int y) const;
    int rowOf(int check) const;
    int offset() const { return m_offset; }
    void setOffset(int px, int room);
    void step(int by, bool second = false); // another check is chosen

signals:
    void changed();

private:
    void rework();
    RecordsModel& m_model;
    std::vector<int> m_checks;
    int m_offset = 0;
};

class RecordHeads : public QWidget
{
    Q_OBJECT
public:
    RecordHeads(RecordsModel& model, RecordRows& rows, QWidget* parent);
    // Of the item in view as logged, and inspected again (null: not).
    void setItem(const std::vector<records::ValueRow>& values, std::shared_ptr<const records::Again> again);
    QStringList rowText(int row) const; // name, logged, again, limits, mean, Cpk
    QString verdictLine() const;
    QString about(int row) const; // everything logged of it: reason, every value of a list, what failed in it
    // Of whose steps the symbols are drawn; null: none.
    void setRecipe(std::shared_ptr<const inspect::Prepared> recipe);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    bool event(QEvent*) override;

private:
    struct Row {
        QString name, unit, logged, again, limits, mean, cpk;
        int balloon = 0;
        records::CellState state = records::CellState::Absent, now = records::CellState::Absent;
        bool changed = false; // the value or its verdict is another now
    };
    Row rowFor(int check) const;
    const records::ValueRow* valueOf(const records::CheckName& check) const;
    RecordsModel& m_model;
    RecordRows& m_rows;
    std::vector<records::ValueRow> m_values;
    std::shared_ptr<const records::Again> m_again;
    std::shared_ptr<const inspect::Prepared> m_recipe;
};

class RecordCells : public QWidget
{
    Q_OBJECT
public:
    RecordCells(RecordsModel& model, RecordRows& rows, QWidget* parent);
    QRect cellRect(int row, int column) const;
    QString cellText(int row, int column) const;

signals:
    void pictureWanted();

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override { emit pictureWanted(); }
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    bool event(QEvent*) override;

private:
    int columnAt(int x) const;
    int leftOf(int column) const { return RecordsModel::kMargin + m_model.left(column) - m_model.offset(); }
    int wide(int column) const { return std::max(1, m_model.left(column + 1) - m_model.left(column)); }
    void paintColumns(QPainter& p, int first, int last) const;
    void paintVerdicts(QPainter& p, int first, int last) const;
    void refresh();
    RecordsModel& m_model;
    RecordRows& m_rows;
    QScrollBar* m_bar;
};

class FailBars : public QWidget
{
    Q_OBJECT
public:
    FailBars(RecordsModel& model, RecordRows& rows, QWidget* parent);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void resizeEvent(QResizeEvent*) override;

private:
    RecordsModel& m_model;
    RecordRows& m_rows;
    QToolButton* m_sort;
};

} // namespace desktop
