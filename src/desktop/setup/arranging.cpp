// How the page stands: the sheet above the grid or beside it, and what gives way to what.
#include "desktop/setup/setup_page.h"

#include <QAction>
#include <QHBoxLayout>
#include <QScrollBar>
#include <algorithm>

namespace desktop
{
using namespace recipe;

// The grid takes the columns it needs; where enough is left beside it, the settings stand there and the plots have the
// evidence for themselves.
void SetupPage::arrange()
{
    if (m_isTall) return arrangeTall();
    constexpr int least = 300;
    const int all = m_lower->width(), high = m_whole->height();
    if (all < 100) return;
    if (!m_heightsChosen && high > 300 && m_lower->isVisible() && m_whole->widget(0)->isVisible()) {
        const int rows = std::clamp(m_grid->neededHeight(), m_side->isVisibleTo(m_lower) ? 270 : 180, high * 46 / 100);
        if (std::abs(m_lower->height() - rows) > 2) m_whole->setSizes({high - rows - m_whole->handleWidth(), rows});
    }
    if (!m_grid->widthChosen() && m_session.trialCount() > 0) {
        int width = 28; // a little narrower when that is what the settings lack
        while (width > 24 && all - m_grid->neededWidth(width) < least) --width;
        m_grid->setColumnWidth(all - m_grid->neededWidth(width) < least ? 28 : width);
    }
    const int left = all - m_grid->neededWidth(m_grid->columnWidth());
    const bool beside = left >= least && m_session.trialCount() > 0;
    if (beside) m_side->setFixedWidth(std::clamp(m_evidence->width(), least, left));
    if (beside == m_side->isVisibleTo(m_lower)) return;
    if (beside) m_side->layout()->addWidget(m_evidence->formArea());
    m_side->setVisible(beside);
    m_evidence->formIsElsewhere(beside);
}

// ---------------------------------------------------------------- two arrangements
// A part that is higher than wide stands beside everything else.
bool SetupPage::wantsTall() const
{
    const Recipe& r = m_session.recipe();
    if (!r.arrangement.empty()) return r.arrangement == "tall";
    const auto& reference = r.reference.capture;
    if (!reference) return false;
    // The taught part when there is one, else the picture.
    double w = reference->width(), h = reference->rows();
    for (const Step& s : r.steps)
        if (const StepKind* k = findKind(s.kind); k && k->datum && s.datum.empty())
            for (const RegionSpec& spec : k->regions)
                if (const auto it = s.regions.find(spec.key); spec.teaching && it != s.regions.end()) {
                    double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
                    for (const auto& outline : it->second.outlines(24))
                        for (const geometry::Point p : outline)
                            left = std::min(left, p.x), right = std::max(right, p.x), top = std::min(top, p.y),
                            bottom = std::max(bottom, p.y);
                    // A small one among others says nothing of the picture.
                    if (right > left && bottom - top > 0.5 * h) return bottom - top > 1.25 * (right - left);
                }
    return h > 1.25 * w;
}

void SetupPage::setTall(bool on)
{
    if (on == m_isTall) return;
    const int old = m_isTall ? 1 : 0;
    if (m_widthsChosen) m_keptUpper[old] = m_upper->saveState();
    if (m_heightsChosen) m_keptWhole[old] = (m_isTall ? m_right : m_whole)->saveState();
    m_isTall = on;
    auto* top = static_cast<QHBoxLayout*>(m_rightTop->layout());
    if (on) {
        top->addWidget(m_evidence, 1);
        top->addWidget(m_side);
        m_right->addWidget(m_rightTop);
        m_right->addWidget(m_lower);
        m_upper->addWidget(m_right);
        m_right->show(), m_rightTop->show();
    } else {
        m_upper->insertWidget(1, m_evidence);
        static_cast<QHBoxLayout*>(m_lower->layout())->addWidget(m_side);
        m_whole->addWidget(m_lower);
        m_right->setParent(this);
        m_right->hide();
    }
    m_lower->setVisible(!action(QStringLiteral("sheetAlone"))->isChecked());
    sizesOf(on);
    arrange();
    refreshTheme();
    m_sheet->fitPicture();
}

// As a person left them, else what the arrangement begins with.
void SetupPage::sizesOf(bool tall)
{
    const int i = tall ? 1 : 0, w = std::max(600, width() - 72), h = std::max(400, height());
    m_widthsChosen = !m_keptUpper[i].isEmpty();
    m_heightsChosen = !m_keptWhole[i].isEmpty();
    if (!m_widthsChosen || !m_upper->restoreState(m_keptUpper[i]))
        m_upper->setSizes(tall ? QList<int>{w * 32 / 100, w * 68 / 100} : QList<int>{w * 68 / 100, w * 32 / 100});
    QSplitter* rows = tall ? m_right : m_whole;
    if (!m_heightsChosen || !rows->restoreState(m_keptWhole[i]))
        rows->setSizes(tall ? QList<int>{h * 40 / 100, h * 60 / 100} : QList<int>{h * 58 / 100, h * 42 / 100});
}

void SetupPage::keepSizes(QSettings& settings) const
{
    for (const bool tall : {false, true}) {
        const int i = tall ? 1 : 0;
        const QString name = tall ? QStringLiteral("Tall") : QString();
        const QByteArray upper = tall == m_isTall && m_widthsChosen ? m_upper->saveState() : m_keptUpper[i],
                         whole = tall == m_isTall && m_heightsChosen ? (tall ? m_right : m_whole)->saveState()
                                                                     : m_keptWhole[i];
        if (!upper.isEmpty()) settings.setValue(QStringLiteral("upper") + name, upper);
        if (!whole.isEmpty()) settings.setValue(QStringLiteral("whole") + name, whole);
    }
}

void SetupPage::restoreSizes(const QSettings& settings)
{
    for (const bool tall : {false, true}) {
        const QString name = tall ? QStringLiteral("Tall") : QString();
        m_keptUpper[tall ? 1 : 0] = settings.value(QStringLiteral("upper") + name).toByteArray();
        m_keptWhole[tall ? 1 : 0] = settings.value(QStringLiteral("whole") + name).toByteArray();
    }
    sizesOf(m_isTall);
}

// The settings stand beside the plots when both have room.
void SetupPage::arrangeTall()
{
    constexpr int least = 300;
    const int all = m_right->width();
    const bool beside = all >= 2 * least + 60;
    if (beside) m_side->setFixedWidth(std::clamp(all * 42 / 100, least, 420));
    if (!m_heightsChosen && m_right->height() > 300 && m_lower->isVisible() && m_rightTop->isVisible()) {
        const int bar = m_grid->neededWidth(m_grid->columnWidth()) > m_grid->width()
                            ? m_grid->horizontalScrollBar()->sizeHint().height()
                            : 0;
        const int high = m_right->height(), rows = std::clamp(m_grid->neededHeight() + bar, 180, high * 60 / 100);
        if (std::abs(m_lower->height() - rows) > 2) m_right->setSizes({high - rows - m_right->handleWidth(), rows});
    }
    if (!m_grid->widthChosen() && m_session.trialCount() > 0) m_grid->setColumnWidth(28);
    if (beside == m_side->isVisibleTo(m_rightTop) && m_side->layout()->count() == (beside ? 1 : 0)) return;
    if (beside) m_side->layout()->addWidget(m_evidence->formArea());
    m_side->setVisible(beside);
    m_evidence->formIsElsewhere(beside);
}

} // namespace desktop
