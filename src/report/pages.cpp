#include "report/pages.h"

#include "report/theme.h"

#include <QBuffer>
#include <QPdfWriter>
#include <QSaveFile>
#include <QTextLayout>

namespace report
{
namespace
{
constexpr double kMargin = 48, kTitle = 46, kLine = 17; // px
QSizeF sizeOf(Paper paper) { return paper == Paper::A4 ? QSizeF(210, 297) * (96 / 25.4) : QSizeF(8.5, 11) * 96; }
QFont spaced(QFont f, double px)
{
    f.setPixelSize(std::max(1, int(px + 0.5)));
    f.setLetterSpacing(QFont::AbsoluteSpacing, 0.02); // keeps ligatures apart
    return f;
}
} // namespace

QFont printFont(double px, bool bold) { return spaced(uiFont(int(px), bold), px); }
QFont printSheetFont(double px) { return spaced(sheetFont(px), px); }

Pages::Pages(Paper paper, QString title) : m_paper(paper), m_title(std::move(title)) {}
double Pages::width() const { return sizeOf(m_paper).width() - 2 * kMargin; }
double Pages::height() const { return sizeOf(m_paper).height() - 2 * kMargin - kTitle - 12; }

void Pages::add(double height, Paint paint) { m_blocks.push_back({height, std::move(paint), false, m_head}); }
void Pages::gap(double height) { m_blocks.push_back({height, nullptr, false, m_head}); }
void Pages::newPage() { m_blocks.push_back({0, nullptr, true, m_head}); }
void Pages::setHead(double height, Paint paint)
{
    if (!paint) {
        m_head = -1;
        return;
    }
    m_heads.push_back({height, paint, false, -1});
    m_head = int(m_heads.size()) - 1;
    add(height, std::move(paint));
}
void Pages::line(const QString& text, double px, bool bold, const QColor& colour)
{
    add(px * 1.5, [=](QPainter& p, QRectF box) {
        p.setFont(printFont(px, bold));
        p.setPen(colour.isValid() ? colour : lightTheme().ink);
        p.drawText(box, Qt::AlignVCenter, p.fontMetrics().elidedText(text, Qt::ElideRight, int(box.width())));
    });
}
void Pages::text(const QString& text, double px, const QColor& colour)
{
    // Lines are blocks of their own: a page may end between them.
    QTextLayout layout(text, printFont(px));
    layout.beginLayout();
    for (;;) {
        QTextLine l = layout.createLine();
        if (!l.isValid()) break;
        l.setLineWidth(width());
        line(text.mid(l.textStart(), l.textLength()).trimmed(), px, false, colour);
    }
    layout.endLayout();
}

std::vector<Pages::Placed> Pages::place() const
{
    std::vector<Placed> out;
    int page = 0;
    double top = 0;
    const double room = height();
    for (const Block& b : m_blocks) {
        if (b.breaks) {
            if (top > 0) ++page, top = 0;
            continue;
        }
        if (!b.paint) {
            if (top > 0) top += b.height;
            continue;
        }
        Placed at{page, top, &b, -1};
        if (top > 0 && top + b.height > room) {
            at.page = ++page;
            at.top = top = 0;
            // Its table's head again, unless it is that head itself.
            if (b.head >= 0 && out.size() > 0 && out.back().block->head == b.head) {
                at.head = b.head;
                at.top = top = m_heads[std::size_t(b.head)].height;
            }
        }
        out.push_back(at);
        top += b.height;
    }
    return out;
}
int Pages::count() const
{
    const auto all = place();
    return all.empty() ? 1 : all.back().page + 1;
}

void Pages::paintFrame(QPainter& p, int page, int of) const
{
    const Theme& th = lightTheme();
    const QSizeF size = sizeOf(m_paper);
    const QRectF box(kMargin, size.height() - kMargin - kTitle, width(), kTitle);
    p.setPen(QPen(th.ink, 1.2));
    p.setBrush(Qt::NoBrush);
    p.drawRect(box);
    p.setFont(printSheetFont(12));
    const double right = 92, column = (box.width() - right) / 2;
    p.setPen(QPen(th.ink, 0.7));
    p.drawLine(QPointF(box.left() + column, box.top()), QPointF(box.left() + column, box.bottom()));
    p.drawLine(QPointF(box.right() - right, box.top()), QPointF(box.right() - right, box.bottom()));
    p.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()));
    const auto cell = [&](double x, int row, double wide, const QString& text) {
        const QRectF at(x + 6, box.top() + row * kTitle / 2, wide - 10, kTitle / 2);
        p.drawText(at, Qt::AlignVCenter, p.fontMetrics().elidedText(text, Qt::ElideRight, int(at.width())));
    };
    for (int i = 0; i < std::min<int>(4, int(m_cells.size())); ++i)
        cell(box.left() + (i % 2) * column, i / 2, column, m_cells[i]);
    cell(box.right() - right, 0, right, QStringLiteral("Dikkat"));
    cell(box.right() - right, 1, right, QObject::tr("page %1 of %2").arg(page + 1).arg(of));
}

QByteArray Pages::bytes() const
{
    QByteArray out;
    QBuffer buffer(&out);
    buffer.open(QIODevice::WriteOnly);
    {
        QPdfWriter pdf(&buffer);
        pdf.setResolution(600);
        pdf.setPageSize(QPageSize(m_paper == Paper::A4 ? QPageSize::A4 : QPageSize::Letter));
        pdf.setPageMargins(QMarginsF(0, 0, 0, 0));
        pdf.setTitle(m_title);
        pdf.setCreator(QStringLiteral("Dikkat"));
        QPainter p(&pdf);
        p.scale(600.0 / 96, 600.0 / 96);
        const auto all = place();
        const int of = count();
        int page = 0;
        paintFrame(p, 0, of);
        for (const Placed& at : all) {
            while (page < at.page) {
                pdf.newPage();
                paintFrame(p, ++page, of);
            }
            const auto paint = [&](const Block& b, double top) {
                p.save();
                b.paint(p, QRectF(kMargin, kMargin + top, width(), b.height));
                p.restore();
            };
            if (at.head >= 0) paint(m_heads[std::size_t(at.head)], 0);
            paint(*at.block, at.top);
        }
    }
    return out;
}

base::Status Pages::write(const QString& path) const
{
    QSaveFile file(path);
    const QByteArray all = bytes();
    if (!file.open(QIODevice::WriteOnly) || file.write(all) != all.size() || !file.commit())
        return base::fail(base::ErrorCode::Io, "cannot be written: " + file.errorString().toStdString(),
                          path.toStdString());
    return {};
}

} // namespace report
