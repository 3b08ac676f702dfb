#include "desktop/samples_dialog.h"

#include "desktop/words.h"
#include "report/theme.h"

#include <QDialogButtonBox>
#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>

namespace desktop
{
using namespace recipe;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
// Small, of the first picture.
QImage thumb(const image::Capture& capture)
{
    const image::Picture& p = capture.first();
    const image::Image& levels = p.pixels.format() == image::PixelFormat::Colour8 ? p.pixels : p.levels();
    const bool colour = levels.format() == image::PixelFormat::Colour8;
    if (!colour && levels.format() != image::PixelFormat::Grey8) return {};
    const QImage whole(levels.row(0), levels.width(), levels.height(), qsizetype(levels.rowBytes()),
                       colour ? QImage::Format_RGB888 : QImage::Format_Grayscale8);
    return whole.scaled(150, 84, Qt::KeepAspectRatio, Qt::SmoothTransformation);
}
} // namespace

SamplesDialog::SamplesDialog(Session& session, QWidget* parent) : QDialog(parent), m_session(session)
{
    setObjectName(QStringLiteral("samplesDialog"));
    setWindowTitle(tr("Good samples"));
    resize(760, 520);
    auto* layout = new QVBoxLayout(this);
    m_said = new QLabel(this);
    m_said->setObjectName(QStringLiteral("samplesSaid"));
    m_said->setWordWrap(true);
    layout->addWidget(m_said);
    m_list = new QListWidget(this);
    m_list->setObjectName(QStringLiteral("samples"));
    m_list->setAccessibleName(tr("Samples"));
    m_list->setIconSize({150, 84});
    m_list->setSelectionMode(QAbstractItemView::ExtendedSelection);
    m_list->setSpacing(2);
    layout->addWidget(m_list, 1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    m_drop = buttons->addButton(tr("Take out"), QDialogButtonBox::ActionRole);
    m_drop->setObjectName(QStringLiteral("dropSample"));
    m_drop->setToolTip(tr("No longer learned from; the trials stay  (Del)"));
    m_drop->setShortcut(Qt::Key_Delete);
    layout->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(m_drop, &QPushButton::clicked, this, &SamplesDialog::drop);
    connect(m_list, &QListWidget::itemSelectionChanged, this,
            [this] { m_drop->setEnabled(!m_list->selectedItems().isEmpty()); });
    connect(&session, &Session::recipeChanged, this, &SamplesDialog::refresh);
    refresh();
}

void SamplesDialog::refresh()
{
    const Recipe& r = m_session.recipe();
    m_list->clear();
    int good = r.reference.empty() ? 0 : 1;
    for (const LearnedSample& s : r.samples) {
        QString text = q(s.picture.origin);
        if (s.bare.empty()) {
            ++good;
            text += QStringLiteral("\n") + tr("good part");
        }
        for (const auto& b : s.bare) {
            const Step* step = r.find(b.step);
            text += QStringLiteral("\n") +
                    tr("bare ground of %1, place %2").arg(step ? q(step->name) : tr("a step that is gone"), q(b.place));
        }
        auto* item = new QListWidgetItem(text, m_list);
        if (s.picture.capture) item->setIcon(QIcon(QPixmap::fromImage(thumb(*s.picture.capture))));
        item->setToolTip(text);
    }
    m_drop->setEnabled(false);
    m_said->setText(r.samples.empty() ? tr("Comparisons know the reference alone. Show a good trial and press Shift+S: "
                                           "what varies between good parts is "
                                           "then no fault. Eight are a good number.")
                                      : tr("Comparisons learn from %1, the reference among them.")
                                            .arg(counted(good, tr("good part"), tr("good parts"))));
}

void SamplesDialog::drop()
{
    std::set<int> which;
    for (auto* item : m_list->selectedItems()) which.insert(m_list->row(item));
    if (!which.empty()) m_session.dropSamples(which);
}

} // namespace desktop
