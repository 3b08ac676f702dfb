#include "desktop/records/record_sheet.h"

#include "desktop/records/records_model.h"
#include "report/sheet_painter.h"
#include "report/theme.h"

#include <QDateTime>
#include <QFileInfo>
#include <QLocale>
#include <QPainter>

namespace desktop
{
using report::theme;

namespace
{
constexpr int kLine = 21, kBlock = 4 * kLine;
}

RecordSheet::RecordSheet(QWidget* parent) : SheetCanvas(parent)
{
    setObjectName(QStringLiteral("recordSheet"));
    setAccessibleName(tr("The item in view"));
    setToolTip(tr("Wheel: zoom · drag: move · double click: the whole picture · Enter: large"));
    setMinimumSize(240, 180);
    setFocusPolicy(Qt::StrongFocus);
}

const records::Again* RecordSheet::shown() const
{
    if (!m_item) return nullptr;
    return m_again ? m_item->again.get() : m_item->own.get();
}

void RecordSheet::show(std::shared_ptr<const SeenItem> item, bool again)
{
    m_item = std::move(item);
    m_again = again;
    const records::Again* a = shown();
    const auto& with = again && m_item ? m_item->againRecipe : m_item ? m_item->ownRecipe : nullptr;
    const image::Picture* seen = nullptr;
    if (a && with) {
        const recipe::Screen& screen = with->recipe().screen;
        for (const image::Picture& one : a->capture->pictures())
            if (!seen || one.key == screen.picture) seen = &one;
    }
    setPicture(seen ? report::toQImage(*seen) : QImage());
    update();
}
void RecordSheet::setSelected(const std::string& step)
{
    m_selected = step;
    update();
}

QString RecordSheet::hint() const
{
    if (!m_item || m_item->id == 0) return {};
    if (m_again) {
        if (!m_item->again) return m_item->againWhy;
        if (m_item->again->item < 0) return tr("Inspected again there is no item of this number");
        return {};
    }
    if (!m_item->own) return m_item->ownWhy;
    if (!m_item->own->same()) return tr("Computed anew it differs from what was logged: see the values below");
    return {};
}

QStringList RecordSheet::titleBlock() const
{
    if (!m_item || m_item->id == 0) return {};
    const records::ItemRow& r = m_item->row;
    const QDateTime at = QDateTime::fromString(r.at, Qt::ISODateWithMs).toLocalTime();
    QStringList out;
    out << tr("item %1").arg(grouped(r.id)) + (r.item > 1 ? tr(", part %1").arg(r.item) : QString())
        << QFileInfo(r.picture).fileName()
        << QLocale::c().toString(at, at.date().year() == QDate::currentDate().year()
                                         ? QStringLiteral("d MMM HH:mm:ss")
                                         : QStringLiteral("d MMM yyyy HH:mm"))
        << (r.station.isEmpty() ? tr("no station") : tr("station %1").arg(r.station))
        << (r.batch.isEmpty() ? tr("no batch") : tr("batch %1").arg(r.batch))
        << (r.by.isEmpty() ? tr("released by nobody named") : r.by) << tr("logged rev %1").arg(r.revision);
    if (m_again && m_item->againRecipe) out << tr("again rev %1").arg(m_item->againRecipe->recipe().revision);
    else if (!r.overruled.isEmpty()) out << tr("overruled: %1, %2").arg(r.overruled, r.overruledBy);
    else out << (r.kept.isEmpty() ? tr("picture not kept") : tr("picture kept"));
    return out;
}

void RecordSheet::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    const report::Theme& th = theme();
    p.fillRect(rect(), th.dark ? QColor("#10141A") : QColor("#E9E6DD"));
    if (!m_item || m_item->id == 0) return;
    const QRectF free(0, 0, width(), height() - kBlock - 16);
    const QString text = hint();
    m_labels = 0;
    const records::Again* a = shown();
    if (m_picture.isNull()) {
        p.setFont(report::uiFont(13));
        p.setPen(th.ink);
        p.drawText(free.adjusted(20, 4, -20, -4), Qt::AlignCenter | Qt::TextWordWrap, text);
    } else {
        paintPicture(p, false);
        const auto& with = m_again ? m_item->againRecipe : m_item->ownRecipe;
        if (a && a->item >= 0) {
            report::SheetScene scene{&with->recipe(), a->result.get(), a->item,
                                     m_selected,      false,           QSizeF(m_picture.size())};
            scene.covered = QRectF(0, height() - kBlock - 16, width(), kBlock + 16);
            m_labels = report::paintSheet(p, scene, toScreen(), QRectF(rect())).size();
        }
        if (!text.isEmpty()) { // beside the picture: a strip over it
            const QRectF strip(8, 6, width() - 16, 40);
            p.fillRect(strip, th.raised);
            p.setPen(th.fail);
            p.drawRect(strip);
            p.setFont(report::uiFont(12));
            p.drawText(strip.adjusted(8, 2, -8, -2), Qt::AlignVCenter | Qt::TextWordWrap, text);
        }
    }
    paintTitle(p);
}

void RecordSheet::paintTitle(QPainter& p) const
{
    const report::Theme& th = report::lightTheme(); // a sheet's block looks alike in both
    const double wide = std::min(width() - 16.0, 560.0);
    const QRectF box(width() - wide - 8, height() - kBlock - 8, wide, kBlock);
    p.save();
    p.setRenderHint(QPainter::Antialiasing, false);
    p.fillRect(box, th.paper);
    p.setPen(QPen(th.ink, 1.4));
    p.setBrush(Qt::NoBrush);
    p.drawRect(box);
    const double stamp = std::min(118.0, wide * 0.27), half = (wide - stamp) / 2;
    const QStringList cells = titleBlock();
    p.setPen(QPen(th.ink, 1));
    for (int i = 1; i < 4; ++i)
        p.drawLine(QPointF(box.left(), box.top() + i * kLine), QPointF(box.left() + 2 * half, box.top() + i * kLine));
    for (const double x : {half, 2 * half})
        p.drawLine(QPointF(box.left() + x, box.top()), QPointF(box.left() + x, box.bottom()));
    p.setFont(report::sheetFont(14));
    for (int i = 0; i < int(cells.size()) && i < 8; ++i) {
        const QRectF cell(box.left() + (i % 2) * half + 6, box.top() + (i / 2) * kLine, half - 9, kLine);
        p.drawText(cell, Qt::AlignVCenter, p.fontMetrics().elidedText(cells[i], Qt::ElideRight, int(cell.width())));
    }
    const records::Again* a = m_again ? m_item->again.get() : nullptr;
    const QString verdict = a ? QString::fromStdString(a->verdictNow) : m_item->row.verdict;
    const bool good = verdict == QLatin1String("accept"), bad = verdict == QLatin1String("reject");
    const QRectF mark = QRectF(box.left() + 2 * half, box.top(), stamp, kBlock).adjusted(7, 24, -7, -24);
    if (m_again && !a) return p.restore();
    const QString word = bad                                 ? tr("REJECT")
                         : good                              ? tr("ACCEPT")
                         : verdict == QLatin1String("error") ? tr("UNREADABLE")
                                                             : verdict.toUpper();
    if (bad) p.fillRect(mark, th.fail);
    else {
        p.setPen(QPen(good ? th.pass : th.ink, 2));
        p.drawRect(mark);
    }
    double size = 20;
    QFont font = report::sheetFont(size);
    while (size > 10 && QFontMetricsF(font).horizontalAdvance(word) > mark.width() - 6)
        font = report::sheetFont(size -= 1);
    p.setFont(font);
    p.setPen(bad ? th.paper : good ? th.pass : th.ink);
    p.drawText(mark, Qt::AlignCenter, word);
    if (!m_item->row.overruled.isEmpty() && !m_again) {
        p.setFont(report::sheetFont(12));
        p.setPen(th.datum);
        p.drawText(QRectF(mark.left() - 6, mark.bottom() + 2, mark.width() + 12, 18), Qt::AlignCenter,
                   tr("overruled: %1").arg(m_item->row.overruled));
    }
    p.restore();
}

} // namespace desktop
