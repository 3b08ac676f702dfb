#include "desktop/proof/strain_matrix.h"

#include "report/proof_page.h"
#include "report/theme.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QScrollBar>
#include <QToolTip>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
constexpr double kLeastColumn = 84;
} // namespace

StrainMatrix::StrainMatrix(QWidget* parent) : QAbstractScrollArea(parent)
{
    setObjectName(QStringLiteral("strainMatrix"));
    setAccessibleName(tr("Strain: checks by changes"));
    setFocusPolicy(Qt::StrongFocus);
    setFrameShape(QFrame::NoFrame);
    viewport()->setMouseTracking(true);
}

void StrainMatrix::show(std::shared_ptr<const proof::Proof> proof, bool old)
{
    m_proof = std::move(proof), m_old = old;
    const int rows = m_proof ? int(m_proof->strain.rows.size()) : 0,
              columns = m_proof ? int(m_proof->strain.changes.size()) : 0;
    m_row = std::clamp(m_row, 0, std::max(0, rows - 1)), m_column = std::clamp(m_column, 0, std::max(0, columns - 1));
    reach();
    viewport()->update();
}

int StrainMatrix::names() const { return width() > 1100 ? 270 : 216; }
double StrainMatrix::wide() const
{
    const double n = m_proof ? double(std::max<std::size_t>(1, m_proof->strain.changes.size())) : 1;
    return std::max(kLeastColumn, (viewport()->width() - names()) / n);
}
void StrainMatrix::reach()
{
    const int rows = m_proof ? int(m_proof->strain.rows.size()) : 0,
              columns = m_proof ? int(m_proof->strain.changes.size()) : 0;
    verticalScrollBar()->setRange(0, std::max(0, rows * kRow + kHead - viewport()->height()));
    verticalScrollBar()->setPageStep(viewport()->height() - kHead), verticalScrollBar()->setSingleStep(kRow);
    horizontalScrollBar()->setRange(0, std::max(0, int(names() + columns * wide()) - viewport()->width()));
    horizontalScrollBar()->setPageStep(viewport()->width() - names()),
        horizontalScrollBar()->setSingleStep(int(wide()));
}
void StrainMatrix::resizeEvent(QResizeEvent*) { reach(); }

const proof::StrainRow* StrainMatrix::chosenRow() const
{
    return m_proof && m_row < int(m_proof->strain.rows.size()) ? &m_proof->strain.rows[std::size_t(m_row)] : nullptr;
}
const proof::Cell* StrainMatrix::chosenCell() const
{
    const auto* r = chosenRow();
    return r && m_column < int(r->cells.size()) ? &r->cells[std::size_t(m_column)] : nullptr;
}

void StrainMatrix::choose(int row, int column)
{
    if (!m_proof || m_proof->strain.rows.empty()) return;
    m_row = std::clamp(row, 0, int(m_proof->strain.rows.size()) - 1);
    m_column = std::clamp(column, 0, std::max(0, int(m_proof->strain.changes.size()) - 1));
    auto* v = verticalScrollBar();
    const int top = m_row * kRow, room = viewport()->height() - kHead;
    if (top < v->value()) v->setValue(top);
    else if (top + kRow > v->value() + room) v->setValue(top + kRow - room);
    auto* h = horizontalScrollBar();
    const int left = int(m_column * wide()), across = viewport()->width() - names();
    if (left < h->value()) h->setValue(left);
    else if (left + int(wide()) > h->value() + across) h->setValue(left + int(wide()) - across);
    viewport()->update();
    emit chosen();
}

bool StrainMatrix::chooseNextShort()
{
    if (!m_proof) return false;
    const int columns = int(m_proof->strain.changes.size()), all = int(m_proof->strain.rows.size()) * columns;
    for (int k = 1; k <= all; ++k) {
        const int at = (m_row * columns + m_column + k) % all;
        if (!m_proof->strain.rows[std::size_t(at / columns)].cells[std::size_t(at % columns)].holds()) {
            choose(at / columns, at % columns);
            return true;
        }
    }
    return false;
}

QString StrainMatrix::textAt(int row, int column) const
{
    if (!m_proof || row < 0 || row >= int(m_proof->strain.rows.size())) return {};
    const auto& r = m_proof->strain.rows[std::size_t(row)];
    const QString name = (r.balloon > 0 ? QString::number(r.balloon) + QLatin1Char(' ') : QString()) + q(r.name);
    if (column < 0 || column >= int(r.cells.size()))
        return tr("%1: reserve %2 ×").arg(name).arg(r.reserve(), 0, 'f', 2);
    const auto& c = r.cells[std::size_t(column)];
    const auto* kind = proof::findChange(c.change);
    const QString what =
        c.turn == proof::Turn::Held           ? tr("held as far as tried, %1").arg(report::levelText(c))
        : c.turn == proof::Turn::GoodRejected ? tr("a good part is rejected from %1 on").arg(report::levelText(c))
        : c.turn == proof::Turn::BadAccepted  ? tr("a bad part passes from %1 on").arg(report::levelText(c))
                                              : tr("nothing is measured from %1 on").arg(report::levelText(c));
    return tr("%1, %2: %3; expected %4 %5")
        .arg(name, q(kind ? kind->label : c.change), what)
        .arg(c.expected)
        .arg(q(kind ? kind->unit : ""));
}

void StrainMatrix::paintEvent(QPaintEvent*)
{
    const report::Theme& th = report::theme();
    QPainter p(viewport());
    p.fillRect(viewport()->rect(), th.paper);
    p.setFont(report::uiFont(13));
    if (!m_proof || m_proof->strain.rows.empty()) {
        p.setPen(th.second);
        p.drawText(viewport()->rect().adjusted(30, 0, -30, 0), Qt::AlignCenter | Qt::TextWordWrap,
                   tr("Not proved yet. F6 proves the recipe on its labelled trials: each is darkened, blurred, turned, "
                      "soiled … until an "
                      "answer turns, and faults are planted on good ones. Shift+F6 is quick and rough."));
        return;
    }
    if (m_old) p.setOpacity(0.4);
    const auto& s = m_proof->strain;
    const int left = names(), down = verticalScrollBar()->value(), across = horizontalScrollBar()->value();
    const double column = wide();
    // Rows.
    p.setClipRect(QRect(0, kHead, viewport()->width(), viewport()->height() - kHead));
    for (int i = down / kRow; i < int(s.rows.size()) && i * kRow - down + kHead < viewport()->height(); ++i) {
        const auto& r = s.rows[std::size_t(i)];
        const int top = kHead + i * kRow - down;
        if (i == m_row) p.fillRect(QRect(0, top, viewport()->width(), kRow), th.selected);
        p.setPen(QPen(th.hair, 1));
        p.drawLine(0, top + kRow - 1, viewport()->width(), top + kRow - 1);
        p.setClipRect(QRect(left, std::max(kHead, top), viewport()->width() - left, kRow));
        for (int k = 0; k < int(r.cells.size()); ++k) {
            const QRectF cell(left + k * column - across, top, column, kRow);
            if (cell.right() < left || cell.left() > viewport()->width()) continue;
            report::paintStrainCell(p, cell.adjusted(6, 0, -4, 0), r.cells[std::size_t(k)]);
            if (i == m_row && k == m_column) {
                p.setPen(QPen(th.datum, hasFocus() ? 2 : 1)), p.setBrush(Qt::NoBrush);
                p.setRenderHint(QPainter::Antialiasing, false);
                p.drawRect(cell.adjusted(1, 1, -2, -2));
            }
        }
        p.setClipRect(QRect(0, kHead, left, viewport()->height() - kHead));
        p.fillRect(QRect(0, top, left, kRow - 1), i == m_row ? th.selected : th.paper);
        const bool holds = std::all_of(r.cells.begin(), r.cells.end(), [](const auto& c) { return c.holds(); });
        int x = 8;
        p.setFont(report::uiFont(13));
        if (r.balloon > 0) {
            p.setRenderHint(QPainter::Antialiasing);
            p.setPen(QPen(holds ? th.pass : th.fail, 1.2)), p.setBrush(Qt::NoBrush);
            p.drawEllipse(QPointF(x + 9, top + kRow / 2.0), 9, 9);
            p.drawText(QRect(x - 2, top, 22, kRow), Qt::AlignCenter, QString::number(r.balloon));
        }
        x += 26;
        p.setPen(th.ink);
        p.drawText(QRect(x, top, left - x - 74, kRow), Qt::AlignVCenter,
                   p.fontMetrics().elidedText(q(r.name), Qt::ElideRight, left - x - 78));
        p.setPen(holds ? th.pass : th.fail);
        p.setFont(report::uiFont(13, true));
        p.drawText(QRect(left - 76, top, 44, kRow), Qt::AlignVCenter | Qt::AlignRight,
                   QString::number(r.reserve(), 'f', 1) + QStringLiteral(" ×"));
        const QRectF sign(left - 24, top + kRow / 2.0 - 6, 12, 12);
        holds ? report::drawTick(p, sign, th.pass) : report::drawCross(p, sign, th.fail);
        p.setClipRect(QRect(0, kHead, viewport()->width(), viewport()->height() - kHead));
    }
    // Heads stand still.
    p.setClipping(false);
    p.fillRect(QRect(0, 0, viewport()->width(), kHead), th.paper);
    p.setFont(report::uiFont(12)), p.setPen(th.second);
    p.drawText(QRect(8, 0, left - 90, kHead - 4), Qt::AlignBottom, tr("weakest first"));
    p.drawText(QRect(left - 96, 0, 64, kHead - 4), Qt::AlignBottom | Qt::AlignRight, tr("reserve"));
    p.setClipRect(QRect(left, 0, viewport()->width() - left, kHead));
    for (int k = 0; k < int(s.changes.size()); ++k) {
        const auto* kind = proof::findChange(s.changes[std::size_t(k)]);
        const QRectF head(left + k * column - across, 0, column, kHead - 3);
        if (head.left() < left - 1) continue; // half a head cannot be read
        p.setPen(th.ink), p.setFont(report::uiFont(13, k == m_column));
        p.drawText(
            head.adjusted(6, 2, -2, -18), Qt::AlignLeft | Qt::AlignVCenter,
            p.fontMetrics().elidedText(kind ? QObject::tr(kind->label) : QString(), Qt::ElideRight, int(column) - 8));
        p.setPen(th.second), p.setFont(report::uiFont(12));
        const auto& c = s.rows.front().cells[std::size_t(k)];
        p.drawText(head.adjusted(6, 18, -2, 0), Qt::AlignLeft | Qt::AlignVCenter,
                   QString::number(c.expected) + QLatin1Char(' ') + q(kind ? kind->unit : ""));
    }
    p.setClipping(false);
    p.setPen(QPen(th.ink, 1));
    p.drawLine(0, kHead - 1, viewport()->width(), kHead - 1);
    if (m_old) {
        p.setOpacity(1);
        p.setFont(report::uiFont(13, true));
        const QString text = tr("old: the recipe was changed since; F6 proves it anew");
        QRectF plate(0, 0, p.fontMetrics().horizontalAdvance(text) + 24, 30);
        plate.moveCenter(QRectF(viewport()->rect()).center());
        p.setPen(QPen(th.datum, 1.4)), p.setBrush(th.paper);
        p.drawRect(plate);
        p.setPen(th.ink);
        p.drawText(plate, Qt::AlignCenter, text);
    }
}

std::pair<int, int> StrainMatrix::at(QPoint p) const
{
    if (!m_proof || p.y() < kHead) return {-1, -1};
    const int row = (p.y() - kHead + verticalScrollBar()->value()) / kRow;
    const int column = p.x() < names() ? -1 : int((p.x() - names() + horizontalScrollBar()->value()) / wide());
    if (row >= int(m_proof->strain.rows.size())) return {-1, -1};
    return {row, column < int(m_proof->strain.changes.size()) ? column : -1};
}
void StrainMatrix::mousePressEvent(QMouseEvent* e)
{
    const auto [row, column] = at(e->pos());
    if (row >= 0) choose(row, column >= 0 ? column : m_column);
}
void StrainMatrix::mouseDoubleClickEvent(QMouseEvent* e)
{
    if (at(e->pos()).first >= 0) emit opened();
}
void StrainMatrix::keyPressEvent(QKeyEvent* e)
{
    switch (e->key()) {
    case Qt::Key_Left: return choose(m_row, m_column - 1);
    case Qt::Key_Right: return choose(m_row, m_column + 1);
    case Qt::Key_Up: return choose(m_row - 1, m_column);
    case Qt::Key_Down: return choose(m_row + 1, m_column);
    case Qt::Key_Home: return choose(0, m_column);
    case Qt::Key_End: return choose(1 << 20, m_column);
    case Qt::Key_Return:
    case Qt::Key_Enter: return emit opened();
    default: QAbstractScrollArea::keyPressEvent(e);
    }
}
bool StrainMatrix::viewportEvent(QEvent* e)
{
    if (e->type() == QEvent::ToolTip) {
        auto* help = static_cast<QHelpEvent*>(e);
        const auto [row, column] = at(help->pos());
        QString text = row >= 0 ? textAt(row, column) : QString();
        if (row < 0 && m_proof && help->pos().y() < kHead && help->pos().x() > names()) {
            const int k = int((help->pos().x() - names() + horizontalScrollBar()->value()) / wide());
            if (k < int(m_proof->strain.changes.size()))
                if (const auto* kind = proof::findChange(m_proof->strain.changes[std::size_t(k)]))
                    text = QString::fromUtf8(kind->help);
        }
        QToolTip::showText(help->globalPos(), text, viewport());
        return true;
    }
    return QAbstractScrollArea::viewportEvent(e);
}

} // namespace desktop
