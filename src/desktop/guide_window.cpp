#include "desktop/guide_window.h"

#include "desktop/guide_resource.h"
#include "desktop/keys.h"
#include "report/theme.h"

#include <QFile>
#include <QHBoxLayout>
#include <QListWidget>
#include <QRegularExpression>
#include <QTextDocument>

namespace desktop
{

namespace
{
const QString kFolder = QStringLiteral(":/docs/guide/");

GuidePage readPage(const QString& file)
{
    GuidePage page{file, {}, {}};
    QFile in(kFolder + file);
    if (!in.open(QIODevice::ReadOnly)) return page;
    const QString text = QString::fromUtf8(in.readAll());
    static const QRegularExpression headings(QStringLiteral("^#+ (.*)$"), QRegularExpression::MultilineOption),
        stressed(QStringLiteral("\\*\\*?([^*]+)\\*\\*?"));
    for (auto m = headings.globalMatch(text); m.hasNext();) {
        const QString heading = m.next().captured(1);
        if (page.title.isEmpty()) page.title = heading;
        else page.words += heading + QLatin1Char(' ');
    }
    for (auto m = stressed.globalMatch(text); m.hasNext();) page.words += m.next().captured(1) + QLatin1Char(' ');
    return page;
}
} // namespace

const std::vector<GuidePage>& guidePages()
{
    static const std::vector<GuidePage> all = [] {
        openGuide();
        std::vector<GuidePage> out;
        // In the order of the guide's own table of contents.
        QFile contents(kFolder + QStringLiteral("README.md"));
        if (contents.open(QIODevice::ReadOnly)) {
            const QString text = QString::fromUtf8(contents.readAll());
            static const QRegularExpression link(QStringLiteral("\\]\\(([a-z-]+\\.md)\\)"));
            for (auto m = link.globalMatch(text); m.hasNext();) out.push_back(readPage(m.next().captured(1)));
        }
        out.push_back({{}, QObject::tr("Keys and gestures"), QObject::tr("keyboard shortcuts mouse drag click")});
        return out;
    }();
    return all;
}

QVariant GuideBrowser::loadResource(int type, const QUrl& name)
{
    QVariant got = QTextBrowser::loadResource(type, name);
    if (type != QTextDocument::ImageResource) return got;
    QImage picture = got.canConvert<QImage>() ? got.value<QImage>() : QImage();
    if (picture.isNull()) picture.loadFromData(got.toByteArray());
    const double room = (viewport()->width() - 40) * devicePixelRatioF();
    if (picture.isNull() || picture.width() <= room) return got;
    picture = picture.scaledToWidth(int(room), Qt::SmoothTransformation);
    picture.setDevicePixelRatio(devicePixelRatioF());
    return picture;
}

GuideWindow::GuideWindow(QWidget* parent) : QDialog(parent)
{
    setObjectName(QStringLiteral("guideDialog"));
    setWindowTitle(tr("Guide"));
    resize(980, 720);
    auto* layout = new QHBoxLayout(this);
    m_list = new QListWidget(this);
    m_list->setObjectName(QStringLiteral("guidePages"));
    m_list->setAccessibleName(tr("Pages of the guide"));
    m_list->setFixedWidth(250);
    m_list->setWordWrap(true);
    for (const GuidePage& page : guidePages()) m_list->addItem(page.title);
    layout->addWidget(m_list);
    m_text = new GuideBrowser(this);
    m_text->setObjectName(QStringLiteral("guideText"));
    m_text->setAccessibleName(tr("Page of the guide"));
    m_text->setOpenExternalLinks(false);
    m_text->document()->setDocumentMargin(14);
    layout->addWidget(m_text, 1);
    connect(m_list, &QListWidget::currentRowChanged, this, [this](int row) {
        if (row < 0) return;
        const GuidePage& page = guidePages()[std::size_t(row)];
        if (page.file.isEmpty()) return showKeys();
        m_text->setSource(QUrl(QStringLiteral("qrc:/docs/guide/") + page.file), QTextDocument::MarkdownResource);
    });
    // A link inside the guide chooses its page in the list too.
    connect(m_text, &QTextBrowser::sourceChanged, this, [this](const QUrl& now) {
        for (int i = 0; i < int(guidePages().size()); ++i)
            if (!now.fileName().isEmpty() && guidePages()[std::size_t(i)].file == now.fileName()) {
                const QSignalBlocker quiet(m_list);
                m_list->setCurrentRow(i);
            }
    });
}

void GuideWindow::showPage(const QString& file)
{
    for (int i = 0; i < int(guidePages().size()); ++i)
        if (guidePages()[std::size_t(i)].file == file) {
            if (m_list->currentRow() == i) m_list->setCurrentRow(-1);
            m_list->setCurrentRow(i);
        }
    show();
    raise();
    activateWindow();
}

void GuideWindow::showKeys()
{
    QString html = tr("<h3>Gestures on the part</h3><p>Drag across it: width, edge. Drag along an edge: line. Click a "
                      "hole: circle. Drag from one feature to another: distance. Ctrl+drag a frame: datum, count. "
                      "Middle button or Space+drag moves, the wheel zooms. While dragging: the wheel changes the "
                      "averaging width, Shift keeps the stroke straight, S keeps it as it is, the right button lets "
                      "go.</p><h3>Keys</h3><table cellpadding=3>");
    for (const Key& k : keyTable())
        if (*k.keys)
            html += QStringLiteral("<tr><td><b>%1</b></td><td>%2</td><td>%3</td></tr>")
                        .arg(QString::fromLatin1(k.keys), QString::fromUtf8(k.label), QString::fromUtf8(k.help));
    m_text->setHtml(html + QStringLiteral("</table>"));
}

} // namespace desktop
