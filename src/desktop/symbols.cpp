#include "desktop/symbols.h"

#include "report/step_symbols.h"
#include "report/theme.h"

#include <QPainter>

namespace desktop
{
using recipe::Question;

const char* questionWord(Question q)
{
    switch (q) {
    case Question::Where: return QT_TRANSLATE_NOOP("desktop", "Where");
    case Question::What: return QT_TRANSLATE_NOOP("desktop", "What");
    case Question::HowMany: return QT_TRANSLATE_NOOP("desktop", "How many");
    case Question::HowBig: return QT_TRANSLATE_NOOP("desktop", "How big");
    case Question::HowTrue: return QT_TRANSLATE_NOOP("desktop", "How true");
    case Question::Same: return QT_TRANSLATE_NOOP("desktop", "Same");
    case Question::SumUp: return QT_TRANSLATE_NOOP("desktop", "Sum up");
    }
    return "";
}

QIcon kindIcon(const recipe::StepKind& kind)
{
    QPixmap pixmap(40, 40);
    pixmap.fill(Qt::transparent);
    QPainter p(&pixmap);
    report::drawKindSymbol(p, kind, QRectF(6, 6, 28, 28), report::theme().ink);
    return QIcon(pixmap);
}

} // namespace desktop
