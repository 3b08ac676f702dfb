// pages.h - a report as a PDF: blocks one under the other on as many pages as they need, a title block and the page's
// number on each.
//
// Units    px of 1/96 inch on the page. Fonts are embedded and their text can be taken out again.
// Promise  write() ok => the whole file stands under its name; !ok => what stood there stands there still.
// Fails    Io (named).
#pragma once
#include "base/result.h"

#include <QFont>
#include <QPainter>
#include <QString>
#include <functional>
#include <optional>
#include <vector>

namespace report
{

enum class Paper { A4, Letter };

// As uiFont and sheetFont, without ligatures: programs that take the text out find letters.
QFont printFont(double px, bool bold = false);
QFont printSheetFont(double px);

class Pages
{
public:
    Pages(Paper paper, QString title);
    double width() const;  // between the margins
    double height() const; // of what a page holds of blocks
    using Paint = std::function<void(QPainter&, QRectF)>;
    void add(double height, Paint paint);
    void gap(double height); // nothing; falls away at a page's top
    // What stands first on every page as long as it is set, its height included; null: nothing.
    void setHead(double height, Paint paint);
    void newPage();
    // Cells of the title block, two columns, from above.
    void setTitleBlock(QStringList cells) { m_cells = std::move(cells); }
    // A line of text, and text over as many lines as it needs.
    void line(const QString& text, double px, bool bold = false, const QColor& colour = {});
    void text(const QString& text, double px, const QColor& colour = {});
    base::Status write(const QString& path) const;
    QByteArray bytes() const;
    int count() const; // of pages

private:
    struct Block {
        double height = 0;
        Paint paint; // null: a gap
        bool breaks = false;
        int head = -1;
    };
    struct Placed {
        int page = 0;
        double top = 0;
        const Block* block = nullptr;
        int head = -1; // painted above it: it stands first on its page
    };
    std::vector<Placed> place() const;
    void paintFrame(QPainter& p, int page, int of) const;
    Paper m_paper;
    QString m_title;
    QStringList m_cells;
    std::vector<Block> m_blocks, m_heads;
    int m_head = -1;
};

} // namespace report
