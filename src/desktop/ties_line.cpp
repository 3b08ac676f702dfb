#include "desktop/ties_line.h"

#include "report/theme.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

namespace desktop
{

TiesLine::TiesLine(QWidget* parent) : QWidget(parent)
{
    setFixedHeight(18);
    setMouseTracking(true);
    setFont(report::uiFont(12));
}

QString TiesLine::text() const
{
    QString all;
    for (const Word& w : m_words) all += w.text;
    return all;
}

void TiesLine::setWords(std::vector<Word> words)
{
    m_words = std::move(words);
    m_chosen = -1;
    const bool links = std::any_of(m_words.begin(), m_words.end(), [](const Word& w) { return !w.to.isEmpty(); });
    setFocusPolicy(links ? Qt::TabFocus : Qt::NoFocus);
    setAccessibleDescription(text());
    update();
}

std::vector<QRect> TiesLine::places() const
{
    std::vector<QRect> out;
    const QFontMetrics metrics(font());
    int x = 15;
    for (const Word& w : m_words) {
        const int wide = metrics.horizontalAdvance(w.text);
        out.push_back(x + std::min(wide, 30) > width() - 15 ? QRect()
                                                            : QRect(x, 0, std::min(wide, width() - 15 - x), height()));
        x += wide;
    }
    return out;
}

int TiesLine::linkAt(QPoint at) const
{
    const auto where = places();
    for (std::size_t i = 0; i < where.size(); ++i)
        if (!m_words[i].to.isEmpty() && where[i].contains(at)) return int(i);
    return -1;
}

void TiesLine::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setFont(font());
    const report::Theme& th = report::theme();
    const auto where = places();
    for (std::size_t i = 0; i < where.size(); ++i) {
        if (where[i].isEmpty()) continue;
        const bool link = !m_words[i].to.isEmpty();
        p.setPen(link ? th.datum : th.second);
        p.drawText(where[i], Qt::AlignVCenter,
                   p.fontMetrics().elidedText(m_words[i].text, Qt::ElideRight, where[i].width() + 1));
        if (link) p.drawLine(where[i].left(), height() - 3, where[i].right(), height() - 3);
        if (int(i) == m_chosen && hasFocus()) p.drawRect(where[i].adjusted(-2, 0, 1, -1));
    }
}

void TiesLine::mousePressEvent(QMouseEvent* e)
{
    if (const int i = linkAt(e->pos()); i >= 0) emit activated(QString(m_words[std::size_t(i)].to));
}
void TiesLine::mouseMoveEvent(QMouseEvent* e)
{
    setCursor(linkAt(e->pos()) >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
}

void TiesLine::walk(int step)
{
    const int n = int(m_words.size());
    for (int i = 1; i <= n; ++i) {
        const int at = ((m_chosen < 0 && step < 0 ? 0 : m_chosen) + step * i + 2 * n) % n;
        if (m_words[std::size_t(at)].to.isEmpty()) continue;
        m_chosen = at;
        return update();
    }
}

void TiesLine::keyPressEvent(QKeyEvent* e)
{
    switch (e->key()) {
    case Qt::Key_Left: return walk(-1);
    case Qt::Key_Right: return walk(1);
    case Qt::Key_Return:
    case Qt::Key_Enter:
    case Qt::Key_Space:
        if (m_chosen < 0) walk(1);
        if (m_chosen >= 0) emit activated(QString(m_words[std::size_t(m_chosen)].to));
        return;
    default: QWidget::keyPressEvent(e);
    }
}

bool TiesLine::event(QEvent* e)
{
    if (e->type() == QEvent::ToolTip) { // what did not fit
        QToolTip::showText(static_cast<QHelpEvent*>(e)->globalPos(), text(), this);
        return true;
    }
    if (e->type() == QEvent::FocusIn && m_chosen < 0) walk(1);
    return QWidget::event(e);
}

} // namespace desktop
