#include "desktop/help_dialog.h"

#include "desktop/guide_window.h"
#include "desktop/symbols.h"
#include "report/step_symbols.h"
#include "report/theme.h"

#include <QDialog>
#include <QDialogButtonBox>
#include <QFile>
#include <QLabel>
#include <QPainter>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace desktop
{
using namespace recipe;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s).toHtmlEscaped(); }
QString row(const QString& name, const QString& text)
{
    return QStringLiteral("<tr><td style='padding-right:14px'><b>%1</b></td><td>%2</td></tr>").arg(name, text);
}
} // namespace

QString helpText(const StepKind& k)
{
    const auto tr = [](const char* text) { return QObject::tr(text); };
    QString html = QStringLiteral("<p>%1</p><p><b>%2</b> %3</p>").arg(q(k.help), tr("On the part:"), q(k.gesture));
    const QString picture = QStringLiteral(":/docs/guide/kinds/%1.jpg").arg(QString::fromStdString(k.key));
    const auto& pages = guidePages();
    if (QFile::exists(picture))
        html += QStringLiteral("<p><img src='qrc%1'></p><p><small>%2</small></p>")
                    .arg(picture, tr("The hand's way in orange; what it makes beside it."));
    for (const GuidePage& page : pages)
        if (page.file == guidePageFor(k))
            html += QStringLiteral("<p>%1 <a href='%2'>%3</a></p>").arg(tr("In the guide:"), page.file, page.title);
    if (!k.purpose.empty()) html += QStringLiteral("<p><b>%1</b> %2</p>").arg(tr("For:"), q(k.purpose));
    QString needs;
    for (const RegionSpec& r : k.regions)
        needs += row(q(r.label), q(r.help) + (r.needed ? QString() : tr(" Without it the whole picture.")));
    for (const InputSpec& i : k.inputs) {
        QStringList accepts;
        for (const FeatureType t : i.accepts) accepts << QString::fromLatin1(recipe::name(t));
        needs += row(q(i.label),
                     q(i.help) + QStringLiteral(" (") + accepts.join(QStringLiteral(", ")) + QStringLiteral(")"));
    }
    if (!needs.isEmpty())
        html += QStringLiteral("<h4>%1</h4><table cellpadding=2>%2</table>").arg(tr("What it needs"), needs);
    QString outputs, settings;
    for (const OutputSpec& o : k.outputs) {
        const QString unit = QString::fromUtf8(base::symbol(o.unit));
        outputs += row(q(o.label) + (unit.isEmpty() ? QString() : QStringLiteral(", ") + unit),
                       q(o.help) + (o.list ? tr(" A list.") : QString()));
    }
    for (const ParamSpec& p : k.params)
        settings += row(q(p.label), q(p.help) + QStringLiteral(" <span style='white-space:nowrap'>") +
                                        q(p.rangeText()) + QStringLiteral("</span>"));
    if (!outputs.isEmpty())
        html += QStringLiteral("<h4>%1</h4><table cellpadding=2>%2</table>").arg(tr("What it measures"), outputs);
    if (!settings.isEmpty())
        html += QStringLiteral("<h4>%1</h4><table cellpadding=2>%2</table>").arg(tr("Settings"), settings);
    if (!k.source.empty()) html += QStringLiteral("<p><i>%1 %2</i></p>").arg(tr("Method:"), q(k.source));
    return html;
}

QString guidePageFor(const StepKind& k)
{
    if (!k.pictures.empty() && k.pictures.front().height) return QStringLiteral("height.md");
    if (k.byDrawing) return QStringLiteral("drawing.md");
    // What is done to many of one kind has its own page.
    for (const InputSpec& in : k.inputs)
        if (in.accepts == std::vector{FeatureType::Group}) return QStringLiteral("lists.md");
    switch (k.question) {
    case Question::Where: return QStringLiteral("first-recipe.md");
    case Question::What: return QStringLiteral("gestures.md");
    case Question::HowMany: return QStringLiteral("count.md");
    case Question::HowBig: return QStringLiteral("first-width.md");
    case Question::HowTrue:
    case Question::SumUp: return QStringLiteral("form.md");
    case Question::Same: return QStringLiteral("same.md");
    }
    return {};
}

QString showHelp(const StepKind& kind, QWidget* parent)
{
    QString page;
    QDialog dialog(parent);
    dialog.setObjectName(QStringLiteral("helpDialog"));
    dialog.setWindowTitle(QString::fromStdString(kind.label));
    dialog.resize(660, 700);
    auto* layout = new QVBoxLayout(&dialog);
    auto* head = new QHBoxLayout;
    auto* symbol = new QLabel(&dialog);
    QPixmap drawn(80, 80);
    drawn.setDevicePixelRatio(2);
    drawn.fill(Qt::transparent);
    QPainter p(&drawn);
    report::drawKindSymbol(p, kind, QRectF(3, 3, 34, 34), report::theme().ink);
    p.end();
    symbol->setPixmap(drawn);
    auto* title = new QLabel(QString::fromStdString(kind.label), &dialog);
    title->setFont(report::uiFont(18, true));
    head->addWidget(symbol);
    head->addWidget(title, 1);
    layout->addLayout(head);
    auto* text = new GuideBrowser(&dialog);
    text->setObjectName(QStringLiteral("helpText"));
    text->setOpenLinks(false);
    text->setHtml(helpText(kind));
    // The guide opens when this is closed.
    QObject::connect(text, &QTextBrowser::anchorClicked, &dialog, [&](const QUrl& link) {
        page = link.toString();
        dialog.accept();
    });
    layout->addWidget(text);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, &dialog);
    QObject::connect(buttons, &QDialogButtonBox::rejected, &dialog, &QDialog::reject);
    layout->addWidget(buttons);
    dialog.exec();
    return page;
}

} // namespace desktop
