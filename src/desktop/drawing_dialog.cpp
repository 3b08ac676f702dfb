#include "desktop/drawing_dialog.h"

#include "base/files.h"
#include "desktop/drawing_view.h"
#include "recipe/drawing_file.h"
#include "report/theme.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPushButton>
#include <QVBoxLayout>

namespace desktop
{
using drawing::LengthUnit;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
constexpr LengthUnit kUnits[] = {LengthUnit::Millimetre,    LengthUnit::Centimetre, LengthUnit::Metre,
                                 LengthUnit::Micrometre,    LengthUnit::Inch,       LengthUnit::Foot,
                                 LengthUnit::ThousandthInch};
} // namespace

DrawingDialog::DrawingDialog(Session& session, QWidget* parent)
    : QDialog(parent), m_session(session), m_asset(session.recipe().drawing)
{
    setObjectName(QStringLiteral("drawingDialog"));
    setWindowTitle(tr("Drawing"));
    setAcceptDrops(true);
    auto* whole = new QVBoxLayout(this);
    auto* top = new QHBoxLayout;
    m_file = new QLabel(this);
    m_file->setObjectName(QStringLiteral("drawingFile"));
    auto* choose = new QPushButton(tr("Choose…"), this);
    choose->setObjectName(QStringLiteral("drawingChoose"));
    choose->setToolTip(tr("A DXF file, R12 or newer, in text form"));
    m_drop = new QPushButton(tr("Without a drawing"), this);
    m_drop->setObjectName(QStringLiteral("drawingDrop"));
    m_drop->setToolTip(tr("Takes the drawing out of the recipe; steps that read it say so"));
    top->addWidget(m_file, 1);
    top->addWidget(choose);
    top->addWidget(m_drop);
    whole->addLayout(top);
    auto* middle = new QHBoxLayout;
    m_view = new DrawingView(this);
    m_view->setObjectName(QStringLiteral("drawingView"));
    middle->addWidget(m_view, 3);
    auto* side = new QVBoxLayout;
    auto* form = new QFormLayout;
    m_unit = new QComboBox(this);
    m_unit->setObjectName(QStringLiteral("drawingUnit"));
    m_unit->setToolTip(tr("What a unit of the file is, when the file does not say it or is wrong"));
    m_unit->addItem(tr("as the file says"));
    for (const LengthUnit u : kUnits) m_unit->addItem(QString::fromUtf8(drawing::name(u)));
    form->addRow(tr("Unit"), m_unit);
    m_join = new QLineEdit(this);
    m_join->setObjectName(QStringLiteral("drawingJoin"));
    m_join->setToolTip(tr("Ends of lines and arcs that lie no farther apart meet"));
    form->addRow(tr("Ends meet within, mm"), m_join);
    side->addLayout(form);
    side->addWidget(new QLabel(tr("Layers that count"), this));
    m_layers = new QListWidget(this);
    m_layers->setObjectName(QStringLiteral("drawingLayers"));
    m_layers->setAccessibleName(tr("Layers that count"));
    side->addWidget(m_layers, 2);
    side->addWidget(new QLabel(tr("Not read"), this));
    m_notRead = new QListWidget(this);
    m_notRead->setObjectName(QStringLiteral("drawingNotRead"));
    m_notRead->setAccessibleName(tr("Not read"));
    side->addWidget(m_notRead, 1);
    middle->addLayout(side, 2);
    whole->addLayout(middle, 1);
    m_facts = new QLabel(this);
    m_facts->setObjectName(QStringLiteral("drawingFacts"));
    m_facts->setWordWrap(true);
    m_facts->setMinimumHeight(40);
    whole->addWidget(m_facts);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    m_ok = buttons->button(QDialogButtonBox::Ok);
    m_ok->setText(tr("Take"));
    whole->addWidget(buttons);
    connect(buttons, &QDialogButtonBox::accepted, this, &DrawingDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(choose, &QPushButton::clicked, this, &DrawingDialog::choose);
    connect(m_drop, &QPushButton::clicked, this, [this] {
        m_asset = {};
        m_dropped = true;
        showIt();
    });
    connect(m_unit, &QComboBox::currentIndexChanged, this, [this] { readAgain(); });
    connect(m_join, &QLineEdit::editingFinished, this, [this] { readAgain(); });
    connect(m_layers, &QListWidget::itemChanged, this, [this] { readAgain(); });
    m_filling = true;
    const auto& drawn = session.recipe().drawn;
    for (std::size_t i = 0; i < std::size(kUnits); ++i)
        if (drawn.unit == kUnits[i]) m_unit->setCurrentIndex(int(i) + 1);
    m_join->setText(q(base::shortest(drawn.joinMm)));
    if (m_asset.drawing)
        for (const auto& l : m_asset.drawing->layers) {
            auto* item = new QListWidgetItem(tr("%1 (%2)").arg(q(l.name)).arg(l.elements), m_layers);
            item->setData(Qt::UserRole, q(l.name));
            const bool off = std::find(drawn.layersOff.begin(), drawn.layersOff.end(), l.name) != drawn.layersOff.end();
            item->setCheckState(off ? Qt::Unchecked : Qt::Checked);
        }
    m_filling = false;
    showIt();
    resize(980, 600);
}

recipe::DrawingSettings DrawingDialog::settings() const
{
    recipe::DrawingSettings s;
    if (m_unit->currentIndex() > 0) s.unit = kUnits[std::size_t(m_unit->currentIndex() - 1)];
    bool ok = false;
    const double join = m_join->text().replace(QLatin1Char(','), QLatin1Char('.')).toDouble(&ok);
    if (ok && join >= 0 && join <= 100) s.joinMm = join;
    for (int i = 0; i < m_layers->count(); ++i)
        if (m_layers->item(i)->checkState() == Qt::Unchecked)
            s.layersOff.push_back(m_layers->item(i)->data(Qt::UserRole).toString().toStdString());
    return s;
}

void DrawingDialog::choose()
{
    const QString path = QFileDialog::getOpenFileName(this, tr("Drawing"), {}, tr("Drawings (*.dxf *.DXF)"));
    if (!path.isEmpty()) read(path);
}
void DrawingDialog::read(const QString& path)
{
    QGuiApplication::setOverrideCursor(Qt::WaitCursor);
    auto bytes = base::readFile(path.toStdString());
    base::Result<recipe::Asset> made =
        bytes ? recipe::makeDrawing({}, {"", "drawing.dxf", std::make_shared<const std::string>(std::move(*bytes))},
                                    QFileInfo(path).fileName().toStdString())
              : base::Result<recipe::Asset>(base::passOn(bytes.error()));
    QGuiApplication::restoreOverrideCursor();
    if (!made) {
        m_facts->setText(tr("%1 was not taken: %2").arg(QFileInfo(path).fileName(), q(made.error().text())));
        m_facts->setStyleSheet(QStringLiteral("color: %1").arg(report::theme().fail.name()));
        return;
    }
    m_asset = std::move(*made);
    m_dropped = false;
    m_filling = true;
    m_unit->setCurrentIndex(0);
    m_join->setText(q(base::shortest(recipe::DrawingSettings{}.joinMm)));
    m_layers->clear();
    for (const auto& l : m_asset.drawing->layers) {
        auto* item = new QListWidgetItem(tr("%1 (%2)").arg(q(l.name)).arg(l.elements), m_layers);
        item->setData(Qt::UserRole, q(l.name));
        item->setCheckState(l.off ? Qt::Unchecked : Qt::Checked); // what the file does not show is not meant
    }
    m_filling = false;
    readAgain();
}
void DrawingDialog::readAgain()
{
    if (m_filling || m_asset.empty()) return;
    auto made = recipe::makeDrawing(settings(), m_asset.files.front(), m_asset.origin);
    if (made) m_asset = std::move(*made);
    showIt();
}

void DrawingDialog::showIt()
{
    m_facts->setStyleSheet({});
    m_notRead->clear();
    m_drop->setEnabled(!m_asset.empty());
    m_ok->setEnabled(!m_asset.empty() || m_dropped);
    if (m_asset.empty()) {
        m_file->setText(m_dropped ? tr("The recipe will have no drawing") : tr("No drawing yet: drop a DXF here"));
        m_view->show({}, {});
        m_layers->clear();
        m_facts->clear();
        return;
    }
    const drawing::Drawing& d = *m_asset.drawing;
    m_file->setText(q(m_asset.origin));
    m_view->show(d, settings().layersOff);
    for (const auto& n : d.notRead)
        m_notRead->addItem(tr("%1 %2 on layer %3: %4").arg(n.count).arg(q(n.type), q(n.layer), q(n.why)));
    if (d.notRead.empty()) m_notRead->addItem(tr("everything was read"));
    QString text = d.unit == LengthUnit::Unstated
                       ? tr("The file states no unit; taken for %1.")
                             .arg(d.scale == 1 ? tr("mm") : QString::number(d.scale) + tr(" mm"))
                       : tr("Unit: %1.").arg(QString::fromUtf8(drawing::name(d.unit)));
    if (m_asset.outline) {
        const auto& o = *m_asset.outline;
        int holes = 0;
        for (const auto& l : o.loops()) holes += l.hole;
        const int outer = int(o.loops().size()) - holes;
        text += tr(" %1 × %2 mm; %3, %4")
                    .arg(o.box().width(), 0, 'f', 2)
                    .arg(o.box().height(), 0, 'f', 2)
                    .arg(outer == 1 ? tr("1 outline") : tr("%1 outlines").arg(outer),
                         holes == 1 ? tr("1 hole") : tr("%1 holes").arg(holes));
        if (!o.open().empty()) text += tr("; %1 lines and arcs close with nothing (dashed)").arg(o.open().size());
        if (o.doubles() > 0) text += tr("; %1 were drawn twice").arg(o.doubles());
    } else {
        text += QStringLiteral(" ") + q(m_asset.noOutline);
        m_facts->setStyleSheet(QStringLiteral("color: %1").arg(report::theme().fail.name()));
    }
    m_facts->setText(text);
}

void DrawingDialog::accept()
{
    if (m_asset.empty()) {
        if (m_dropped && !m_session.recipe().drawing.empty()) m_session.dropDrawing();
    } else {
        m_session.putDrawing(m_asset, settings());
    }
    QDialog::accept();
}
void DrawingDialog::dragEnterEvent(QDragEnterEvent* e)
{
    if (e->mimeData()->hasUrls()) e->acceptProposedAction();
}
void DrawingDialog::dropEvent(QDropEvent* e)
{
    for (const QUrl& url : e->mimeData()->urls())
        if (url.isLocalFile()) return read(url.toLocalFile());
}

} // namespace desktop
