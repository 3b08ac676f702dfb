#include "desktop/hints.h"

#include "desktop/setup/setup_page.h"

#include <QEvent>
#include <QHBoxLayout>
#include <QPainter>
#include <QSettings>

namespace desktop
{
using report::theme;

Hints::Hints(Session& session, SetupPage& page, QWidget* runTab, QWidget* window)
    : QWidget(window), m_session(session), m_page(page), m_runTab(runTab)
{
    setObjectName(QStringLiteral("hints"));
    setAccessibleName(tr("Hint"));
    setFixedWidth(330);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(14, 18, 10, 16);
    layout->setSpacing(6);
    m_text = new QLabel(this);
    m_text->setObjectName(QStringLiteral("hintText"));
    m_text->setWordWrap(true);
    layout->addWidget(m_text);
    auto* row = new QHBoxLayout;
    row->addStretch(1);
    const auto button = [&](const char* name, const QString& words) {
        auto* b = new QToolButton(this);
        b->setObjectName(QLatin1String(name));
        b->setProperty("page", true);
        b->setText(words);
        b->setFocusPolicy(Qt::NoFocus);
        row->addWidget(b);
        return b;
    };
    auto *later = button("hintLater", tr("later")), *never = button("hintNever", tr("no more hints"));
    layout->addLayout(row);
    connect(later, &QToolButton::clicked, this, [this] { done(m_current); });
    connect(never, &QToolButton::clicked, this, [this] {
        QSettings().setValue(QStringLiteral("hints"), int(kCount));
        m_current = kCount;
        hide();
    });
    hide();
    window->installEventFilter(this);
    for (const auto signal : {&Session::trialChanged, &Session::recipeChanged, &Session::resultsChanged})
        connect(&session, signal, this, &Hints::look);
}

std::vector<recipe::Limits> Hints::limitsNow() const
{
    std::vector<recipe::Limits> out;
    for (const auto& s : m_session.recipe().steps)
        for (const auto& c : s.checks) out.push_back(c.limits);
    return out;
}
std::vector<recipe::Label> Hints::labelsNow() const
{
    std::vector<recipe::Label> out;
    for (const auto& t : m_session.recipe().trials) {
        out.push_back(t.label);
        for (const auto& i : t.items) out.push_back(i.label);
    }
    return out;
}

void Hints::start() { show(QSettings().value(QStringLiteral("hints"), 0).toInt()); }
void Hints::again()
{
    QSettings().setValue(QStringLiteral("hints"), 0);
    show(0);
}

void Hints::show(int hint)
{
    m_current = std::clamp(hint, 0, int(kCount));
    setVisible(m_current < kCount);
    if (m_current >= kCount) return;
    m_trial = m_session.trial(), m_steps = m_session.recipe().steps.size();
    m_limits = limitsNow(), m_labels = labelsNow();
    m_text->setText(text());
    adjustSize();
    place();
    raise();
}

void Hints::done(int hint)
{
    if (hint != m_current || m_current >= kCount) return;
    QSettings().setValue(QStringLiteral("hints"), m_current + 1);
    show(m_current + 1);
}

void Hints::look()
{
    if (m_current >= kCount) return;
    switch (m_current) {
    case 0:
        if (m_trial >= 0 && m_session.trial() != m_trial) done(0);
        else m_trial = m_session.trial();
        return;
    case 1:
        if (m_session.recipe().steps.size() > m_steps) done(1);
        return;
    case 2:
        if (limitsNow() != m_limits && m_session.recipe().steps.size() == m_steps) done(2);
        return;
    case 3:
        if (labelsNow() != m_labels) done(3);
        return;
    default: return; // the last one goes when Run is opened
    }
}

QString Hints::text() const
{
    switch (m_current) {
    case 0: return tr("Each column is a picture. Press PgDn or click one; ✕ shows what failed and where.");
    case 1: return tr("Drag across the plate from edge to edge. Enter takes the width.");
    case 2: return tr("Click a row of the grid, then drag a square of its limits and watch the row answer.");
    case 3: return tr("Is this one good or bad? G or B. A flag shows where label and verdict disagree.");
    default: return tr("Ctrl+2 opens Run: Start feeds items; each one lands in Records.");
    }
}

QWidget* Hints::target() const
{
    switch (m_current) {
    case 1: return m_page.sheet();
    case 2: return m_page.evidence();
    case 4: return m_runTab;
    default: return m_page.grid();
    }
}

// Beside what it speaks of, its tip on it; inside the window.
void Hints::place()
{
    QWidget* of = target();
    const QRect there(of->mapTo(window(), QPoint(0, 0)), of->size());
    QPoint tip;
    switch (m_current) {
    case 1: tip = there.topLeft() + QPoint(16 + width() / 2, 8); break;
    case 2: { // above the limits, never on them
        QWidget* plot = m_page.evidence()->trialsPlot();
        tip = plot->isVisible() ? plot->mapTo(window(), QPoint(plot->width() / 2, 6)) : there.center();
        break;
    }
    case 4: tip = {there.center().x(), there.bottom()}; break;
    default: tip = {there.left() + 480, there.top()};
    }
    m_above = m_current == 0 || m_current == 2 || m_current == 3;
    QPoint at(tip.x() - width() / 2, m_above ? tip.y() - height() : tip.y());
    at.setX(std::clamp(at.x(), 4, std::max(4, window()->width() - width() - 4)));
    move(at);
    update();
}

void Hints::paintEvent(QPaintEvent*)
{
    QPainter p(this);
    p.setRenderHint(QPainter::Antialiasing);
    const QRectF plate = QRectF(rect()).adjusted(1, m_above ? 1 : 10, -1, m_above ? -10 : -1);
    QPolygonF tip;
    const double x = width() / 2.0;
    if (m_above) tip << QPointF(x - 8, plate.bottom()) << QPointF(x, height() - 1) << QPointF(x + 8, plate.bottom());
    else tip << QPointF(x - 8, plate.top()) << QPointF(x, 1) << QPointF(x + 8, plate.top());
    QPainterPath path;
    path.addRect(plate);
    QPainterPath point;
    point.addPolygon(tip);
    path = path.united(point);
    p.setPen(QPen(theme().datum, 1.6));
    p.setBrush(theme().paper);
    p.drawPath(path);
}

bool Hints::eventFilter(QObject*, QEvent* e)
{
    if (e->type() == QEvent::Resize && m_current < kCount) place();
    return false;
}

} // namespace desktop
