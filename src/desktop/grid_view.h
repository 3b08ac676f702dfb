// grid_view.h - rows are the recipe's steps, columns are items: trials in Set up, the latest items in Run. One widget,
// one language.
//
// It asks a GridSource for what to show and paints only what is in view.
#pragma once
#include "inspect/result.h"
#include "report/theme.h"

#include <QAbstractScrollArea>
#include <QImage>
#include <memory>
#include <optional>

namespace desktop
{

enum class RowKind { Datum, FeaturesLine, Feature, Check, FixedHead, Draft, Element, Map };

struct GridRow {
    RowKind kind = RowKind::Check;
    std::string step, output;
    QString balloon, letter, name, value, unit, limits;
    const recipe::StepKind* stepKind = nullptr;
    inspect::Verdict verdict = inspect::Verdict::Unjudged; // of the column in view
    bool inUse = true, unfolded = false;
    bool folds = false;   // a list: its elements are rows of their own when unfolded
    bool flagged = false; // its limits cannot be used: another unit, no tolerance class
    int element = -1;     // of a list, from 0
    int depth = 0;        // of a datum in a datum, and of what follows it
    enum class Tie { None, Read, Reader } tie = Tie::None; // of the chosen row: it reads this one, or is read by it
    bool limited = false;                                  // there are limits between which ticks lie
    double low = 0, high = 1;                              // of what the ticks are laid between
    // Of checks of one step, which say several things of one place: they stand under one bracket.
    enum class Bracket { None, First, Between, Last } bracket = Bracket::None;
    // Where the values of all columns lie, as ticks do: 0 low limit .. 1 high limit.
    std::shared_ptr<const std::vector<float>> dots{};
};
// Elements of a list in their own places on the part.
struct GridSpot {
    float x = 0, y = 0; // 0 .. 1 of what all of them cover, the longer side; y down
    inspect::Verdict verdict = inspect::Verdict::Unjudged;
    bool missing = false;
};
struct GridColumn {
    QString head;
    std::optional<report::Sign> label;
    bool flag = false; // label and verdict disagree
    bool answered = false, error = false;
    bool lost = false;    // a part that was expected and is not there
    bool begins = true;   // of several columns of one picture the first
    bool bracket = false; // one of several columns of one picture
    inspect::Outcome outcome = inspect::Outcome::Unjudged;
    QString tip;
};
struct GridCell {
    bool asked = false; // empty paper otherwise
    inspect::Verdict verdict = inspect::Verdict::Unjudged;
    double place = -1; // 0 low limit .. 1 high limit; below 0: no tick
    bool near = false, tooHigh = false, tooLow = false;
    QString text;   // spoken name and hover
    QString figure; // the value, for wide columns
};

class GridSource
{
public:
    virtual ~GridSource() = default;
    virtual int rows() const = 0;
    virtual int columns() const = 0;
    virtual GridRow row(int r) const = 0;
    virtual GridColumn column(int c) const = 0;
    virtual GridCell cell(int r, int c) const = 0;
    virtual std::vector<GridSpot> spots(int, int) const { return {}; } // of a map row
    // Cut out of the picture: the place of a cell (row -1: the worst of the column), and the whole of it. Null: there is
    // none, or not yet.
    virtual QImage crop(int, int) const { return {}; }
    virtual QImage whole(int) const { return {}; }
    virtual QString verdictLine() const = 0;
    virtual QString emptyHint() const = 0;
    virtual QString columnWord(int c) const = 0; // "trial 6"
};
// The cell of one check over the results of one picture: the worst of its items.
GridCell cellFor(const inspect::PictureResult* result, const std::string& step, const std::string& output, double low,
                 double high, int item = -1); // of one item alone
// The cell of one element of a list: the worst of the items.
GridCell elementCell(const inspect::PictureResult* result, const std::string& step, const std::string& output,
                     int element, int item = -1);
GridCell featureCell(const inspect::PictureResult* result, const std::vector<std::string>& steps, int item = -1);
// Where ticks lie for a check: its limits, or the range of the values when it has none.
void tickRange(const recipe::Limits& limits, const std::vector<double>& values, double& low, double& high);

// One cell as wide as its column, and several in one: as high as many of them fail.
void paintGridCell(QPainter& p, const GridCell& cell, QRect box, RowKind kind, int width);
void paintPackedCells(QPainter& p, int asked, int failed, int unmeasured, bool judged, QRect box);

class GridView : public QAbstractScrollArea
{
    Q_OBJECT
public:
    explicit GridView(GridSource& source, QWidget* parent = nullptr);
    GridSource& source() const { return m_source; }
    void refresh(); // after the source changed
    int currentRow() const { return m_row; }
    int currentColumn() const { return m_column; }
    void setCurrent(int row, int column);
    void setHeadVisible(bool on) { m_heads = on; }
    void setFollowLatest(bool on) { m_follow = on; }
    void setCrops(bool on) { m_crops = on; } // wide columns carry a picture of their worst place
    void cropsCame();
    int columnWidth() const { return m_width; }
    // columns of the source one painted column stands for; above 1 only when packed
    int perColumn() const { return m_per; }
    void setColumnWidth(int width);
    bool widthChosen() const { return m_widthChosen; } // by a person
    int neededWidth(int columnWidth) const;            // that all columns are seen
    int neededHeight() const;                          // that all rows are
    QRect cellRect(int row, int column) const;         // viewport coordinates
    QSize sizeHint() const override { return {1280, 340}; }

signals:
    void needsChanged();              // other rows or columns are seen than before
    void chosen(int row, int column); // either may be -1: unchanged
    void foldToggled(int row);
    void labelClicked(int column, bool bad); // `bad`: at once, by Shift
    void renameWanted(int row);
    void limitsWanted(int row);

protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    bool viewportEvent(QEvent*) override;
    void scrollContentsBy(int, int) override { viewport()->update(); }

private:
    int headWidth() const;
    int valueWidth() const;
    bool showsCrops() const;
    int topHeight() const; // numbers, and labels and crops where there are any
    void showTip(QPoint at, QPoint global);
    void paintMap(QPainter& p, const std::vector<GridSpot>& spots, QRect box) const;
    void paintDots(QPainter& p, const GridRow& row, QRect box) const;
    int dotsWidth() const;
    static int rowHeight(RowKind kind);
    int rowTop(int r) const; // viewport coordinates
    int rowAt(int y) const;
    int columnAt(int x) const;
    int leftOf(int slot) const; // viewport coordinates; a slot is a painted column
    void layOut();
    // What is seen just now: columns from first to before last, the chosen one among them or not.
    struct View {
        QRect all;
        const report::Theme& th;
        int head = 0, bottom = 0, first = 0, last = 0;
        bool column = false;
        QRect current;
    };
    View view() const;
    void paintCells(QPainter& p, const View& v);
    void paintHeads(QPainter& p, const View& v);
    void paintColumns(QPainter& p, const View& v);
    void paintColumn(QPainter& p, const View& v, int c);
    void paintVerdicts(QPainter& p, const View& v);
    void paintHead(QPainter& p, int r, QRect box);
    // Several columns in one: the worst of them, and how many fail.
    struct Packed {
        bool known = false;
        inspect::Verdict verdict = inspect::Verdict::Unjudged;
        int asked = 0, failed = 0, unmeasured = 0, worst = -1; // worst: the first column as bad as the worst
    };
    const Packed& packed(int row, int slot);

    GridSource& m_source;
    std::vector<int> m_tops; // content coordinates, one more than rows
    int m_row = -1, m_column = -1, m_width = 28;
    int m_limitsWidth = 78, m_nameWidth = 132; // of the row heads: what the texts need, within bounds
    int m_per = 1;
    std::vector<Packed> m_packed; // rows × slots, worked out when they are first seen
    bool m_heads = true, m_follow = false, m_widthChosen = false, m_crops = false;
    QPoint m_tipAt, m_tipGlobal; // of the tip in view, to be shown again when its picture came
};

} // namespace desktop
