#include "desktop/calibrate_dialog.h"

#include "image/capture_files.h"
#include "image/decode.h"
#include "report/sheet_painter.h"
#include "report/target_pdf.h"
#include "report/theme.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHeaderView>
#include <QLabel>
#include <QListWidget>
#include <QPainter>
#include <QPainterPath>
#include <QProgressBar>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

namespace desktop
{
using geometry::Calibration;
using geometry::Point;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
} // namespace

CalibrateDialog::CalibrateDialog(Session& session, QWidget* parent) : QDialog(parent), m_session(session), m_work(this)
{
    setObjectName(QStringLiteral("calibrateDialog"));
    setWindowTitle(tr("Calibrate"));
    resize(1080, 700);
    auto* whole = new QVBoxLayout(this);
    auto* upper = new QHBoxLayout;
    auto* left = new QVBoxLayout;
    m_tabs = new QTabWidget(this);
    m_tabs->setObjectName(QStringLiteral("calibrateBy"));
    m_tabs->setFixedWidth(420);
    m_tabs->addTab(lengthTab(), tr("Known length"));
    m_tabs->addTab(targetTab(), tr("Target"));
    m_tabs->addTab(checkTab(), tr("Check"));
    left->addWidget(m_tabs, 1);
    auto* part = new QFormLayout;
    const auto spin = [&](const char* name, int decimals, double low, double high, const QString& suffix) {
        auto* s = new QDoubleSpinBox(this);
        s->setObjectName(QLatin1String(name));
        s->setDecimals(decimals);
        s->setRange(low, high);
        s->setSuffix(suffix);
        connect(s, &QDoubleSpinBox::valueChanged, this, [this] { refreshConsequences(); });
        return s;
    };
    const Calibration& now = session.recipe().calibration;
    m_thickness = spin("thickness", 3, -1e4, 1e4, tr(" mm"));
    m_thickness->setValue(now.thickness());
    m_thickness->setToolTip(tr("How far the measured edge lies above the plane of the target, towards the lens; the "
                               "upper edge of a thick part looks larger"));
    m_distance = spin("lensDistance", 1, 0, 1e6, tr(" mm"));
    m_distance->setValue(now.lensDistance());
    m_distance->setSpecialValueText(tr("not known"));
    m_distance->setToolTip(
        tr("From the lens to the plane of the target; needed for a thickness unless a target has told it"));
    part->addRow(tr("Part thickness"), m_thickness);
    part->addRow(tr("Lens distance"), m_distance);
    left->addLayout(part);
    upper->addLayout(left);
    auto* right = new QVBoxLayout;
    m_sheet = new TargetSheet(this);
    right->addWidget(m_sheet, 1);
    m_sentence = new QLabel(this);
    m_sentence->setObjectName(QStringLiteral("calibrationSentence"));
    m_sentence->setFont(report::uiFont(15, true));
    m_sentence->setWordWrap(true);
    right->addWidget(m_sentence);
    upper->addLayout(right, 1);
    whole->addLayout(upper, 1);
    m_consequence = new QLabel(this);
    m_consequence->setObjectName(QStringLiteral("consequence"));
    m_consequence->setWordWrap(true);
    whole->addWidget(m_consequence);
    m_convert = new QCheckBox(tr("Convert limits to the new unit (they keep how they were stated)"), this);
    m_convert->setObjectName(QStringLiteral("convertLimits"));
    m_convert->setChecked(true);
    m_convert->setToolTip(tr("Without it limits keep the unit they were entered in; their checks are not measured "
                             "until they are converted"));
    connect(m_convert, &QCheckBox::toggled, this, [this] { refreshConsequences(); });
    whole->addWidget(m_convert);
    m_changed = new QListWidget(this);
    m_changed->setObjectName(QStringLiteral("changedTrials"));
    m_changed->setMaximumHeight(96);
    m_changed->hide();
    whole->addWidget(m_changed);
    m_error = new QLabel(this);
    m_error->setObjectName(QStringLiteral("calibrateError"));
    m_error->setWordWrap(true);
    m_error->hide();
    whole->addWidget(m_error);
    auto* row = new QHBoxLayout;
    m_progress = new QProgressBar(this);
    m_progress->setObjectName(QStringLiteral("calibrateProgress"));
    m_progress->hide();
    m_cancel = new QPushButton(tr("Stop"), this);
    m_cancel->setObjectName(QStringLiteral("calibrateStop"));
    m_cancel->hide();
    connect(m_cancel, &QPushButton::clicked, this, [this] {
        m_work.stop();
        m_progress->hide(), m_cancel->hide(), m_find->setEnabled(true), m_take->setEnabled(true);
        m_look->setEnabled(m_session.trialCount() > 0);
        m_result = {};
        dropTrialsWithoutTarget();
        for (int i = 0; i < m_table->rowCount(); ++i)
            for (const int c : {1, 2}) m_table->item(i, c)->setText(QStringLiteral("–"));
        showResult(), showPicture();
    });
    row->addWidget(m_progress, 1);
    row->addWidget(m_cancel);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
    m_take = buttons->addButton(tr("Take this calibration"), QDialogButtonBox::AcceptRole);
    m_take->setObjectName(QStringLiteral("takeCalibration"));
    m_take->setDefault(true);
    connect(buttons, &QDialogButtonBox::accepted, this, &CalibrateDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    row->addStretch();
    row->addWidget(buttons);
    whole->addLayout(row);
    connect(&m_work, &Background::progressed, this,
            [this](int done, int of) { m_progress->setRange(0, of), m_progress->setValue(done); });
    connect(m_tabs, &QTabWidget::currentChanged, this, [this] { refreshConsequences(); });
    QStringList aside; // what was set aside is a target more often than not
    for (const std::string& p : session.recipe().setAside) aside << q(p);
    const int tab = m_tabs->currentIndex();
    addTargets(aside);
    m_tabs->setCurrentIndex(tab);
    readEntries();
    showResult();
    refreshConsequences();
}

namespace
{
constexpr const char* kEntries = "calibrateEntries"; // kept with the session, until the program ends
}

void CalibrateDialog::readEntries()
{
    const QVariantMap kept = m_session.property(kEntries).toMap();
    if (kept.isEmpty()) return;
    m_kind->setCurrentIndex(kept[QStringLiteral("kind")].toInt());
    m_columns->setValue(kept[QStringLiteral("columns")].toInt());
    m_rows->setValue(kept[QStringLiteral("rows")].toInt());
    m_pitch->setValue(kept[QStringLiteral("pitch")].toDouble());
    m_unit->setCurrentIndex(kept[QStringLiteral("unit")].toInt());
    QStringList there;
    for (const QString& p : kept[QStringLiteral("pictures")].toStringList())
        if (!image::stampOf({}, p.toStdString()).empty()) there << p; // also inside a packed recipe
    addTargets(there);
    m_tabs->setCurrentIndex(kept[QStringLiteral("tab")].toInt());
}

CalibrateDialog::~CalibrateDialog()
{
    m_work.stop();
    QStringList pictures;
    for (const QString& p : m_pictures)
        if (!m_fromTrials.contains(p)) pictures << p;
    m_session.setProperty(kEntries, QVariantMap{{QStringLiteral("kind"), m_kind->currentIndex()},
                                                {QStringLiteral("columns"), m_columns->value()},
                                                {QStringLiteral("rows"), m_rows->value()},
                                                {QStringLiteral("pitch"), m_pitch->value()},
                                                {QStringLiteral("unit"), m_unit->currentIndex()},
                                                {QStringLiteral("tab"), m_tabs->currentIndex()},
                                                {QStringLiteral("pictures"), pictures}});
}

QWidget* CalibrateDialog::lengthTab()
{
    // Any length measured here can be the ruler, the chosen one first; without one the factor can be stated.
    const recipe::Recipe& r = m_session.recipe();
    const double now = r.mmPerPixel();
    m_rulers = new QComboBox(this);
    m_rulers->setObjectName(QStringLiteral("ruler"));
    m_rulers->setAccessibleName(tr("Length used as the ruler"));
    int chosen = 0;
    if (const auto* item = m_session.currentItem())
        for (const auto& c : item->checks) {
            if (c.list || c.values.empty() || (c.unit != base::Unit::Pixel && c.unit != base::Unit::Millimetre))
                continue;
            if (c.step == m_session.selected() && chosen == 0) chosen = m_rulers->count();
            const double px = c.values.front() / (c.unit == base::Unit::Millimetre ? now : 1.0);
            m_rulers->addItem(tr("%1, %2 px").arg(q(c.name)).arg(px, 0, 'f', 3), px);
        }
    auto* tab = new QWidget(this);
    auto* form = new QFormLayout(tab);
    form->setRowWrapPolicy(QFormLayout::WrapLongRows);
    m_factor = new QDoubleSpinBox(tab);
    m_factor->setObjectName(QStringLiteral("factor"));
    m_factor->setDecimals(8);
    m_factor->setRange(0, 1000);
    m_factor->setSuffix(tr(" mm/px"));
    m_factor->setValue(r.calibration.mmPerPixelOfTarget());
    m_factorAtOpen = m_factor->value();
    m_factor->setSpecialValueText(tr("not calibrated"));
    m_known = new QDoubleSpinBox(tab);
    m_known->setObjectName(QStringLiteral("knownLength"));
    m_known->setDecimals(4);
    m_known->setRange(0, 1e6);
    m_known->setSuffix(tr(" mm"));
    if (m_rulers->count()) {
        form->addRow(tr("Ruler"), m_rulers);
        form->addRow(tr("Its true length"), m_known);
        m_rulers->setCurrentIndex(chosen);
        chooseRuler(chosen);
        connect(m_rulers, &QComboBox::currentIndexChanged, this, &CalibrateDialog::chooseRuler);
        connect(m_known, &QDoubleSpinBox::valueChanged, m_factor,
                [this](double mm) { m_factor->setValue(mm / m_rulerPixels); });
    } else {
        m_rulers->hide(), m_known->hide();
        auto* hint =
            new QLabel(tr("Measure a length on the sheet first to use it as the ruler, or state the factor."), tab);
        hint->setWordWrap(true);
        form->addRow(hint);
    }
    form->addRow(tr("One pixel is"), m_factor);
    auto* note = new QLabel(
        tr("One factor for the whole picture. It corrects neither tilt nor lens: for those show a target."), tab);
    note->setWordWrap(true);
    form->addRow(note);
    connect(m_factor, &QDoubleSpinBox::valueChanged, this, [this] { refreshConsequences(); });
    return tab;
}

void CalibrateDialog::chooseRuler(int index)
{
    m_rulerPixels = m_rulers->itemData(index).toDouble();
    m_ruler = m_rulers->itemText(index).section(QLatin1Char(','), 0, 0);
    const double now = m_session.recipe().mmPerPixel();
    const QSignalBlocker quiet(m_known); // another ruler is no other factor
    m_known->setValue(now > 0 ? m_rulerPixels * now : 0);
}

QWidget* CalibrateDialog::targetTab()
{
    auto* tab = new QWidget(this);
    auto* layout = new QVBoxLayout(tab);
    auto* form = new QFormLayout;
    m_kind = new QComboBox(tab);
    m_kind->setObjectName(QStringLiteral("targetKind"));
    m_kind->addItems({tr("Checkerboard"), tr("Dot grid")});
    form->addRow(tr("Target"), m_kind);
    auto* counts = new QHBoxLayout;
    const auto count = [&](const char* name, int value) {
        auto* s = new QSpinBox(tab);
        s->setObjectName(QLatin1String(name));
        s->setRange(3, 200);
        s->setValue(value);
        counts->addWidget(s, 1);
        return s;
    };
    m_columns = count("targetColumns", 15);
    counts->addWidget(new QLabel(QStringLiteral("×"), tab));
    m_rows = count("targetRows", 12);
    form->addRow(tr("Inner corners or dots"), counts);
    auto* pitch = new QHBoxLayout;
    m_pitch = new QDoubleSpinBox(tab);
    m_pitch->setObjectName(QStringLiteral("targetPitch"));
    m_pitch->setDecimals(4);
    m_pitch->setRange(0.0001, 1e5);
    m_pitch->setValue(8);
    m_unit = new QComboBox(tab);
    m_unit->setObjectName(QStringLiteral("targetUnit"));
    m_unit->addItems({QStringLiteral("mm"), QStringLiteral("µm"), QStringLiteral("in")});
    pitch->addWidget(m_pitch, 1);
    pitch->addWidget(m_unit);
    form->addRow(tr("Pitch"), pitch);
    layout->addLayout(form);
    auto* buttons = new QHBoxLayout;
    auto* add = new QPushButton(tr("Add pictures…"), tab);
    add->setObjectName(QStringLiteral("addTargets"));
    connect(add, &QPushButton::clicked, this, [this] {
        addTargets(QFileDialog::getOpenFileNames(this, tr("Pictures of the target"), QString(),
                                                 tr("Pictures (*.png *.jpg *.jpeg *.tif *.tiff)"), nullptr,
                                                 QFileDialog::DontUseNativeDialog));
    });
    m_find = new QPushButton(tr("Find the target"), tab);
    m_find->setObjectName(QStringLiteral("findTargets"));
    m_find->setEnabled(false);
    connect(m_find, &QPushButton::clicked, this, &CalibrateDialog::find);
    m_look = new QPushButton(tr("Look among the trials"), tab);
    m_look->setObjectName(QStringLiteral("lookAmongTrials"));
    m_look->setToolTip(tr("Lists the trials that show this target; taking the calibration sets them aside, as they are "
                          "no parts"));
    m_look->setEnabled(m_session.trialCount() > 0);
    connect(m_look, &QPushButton::clicked, this, &CalibrateDialog::lookAmongTrials);
    auto* pdf = new QPushButton(tr("Print one…"), tab);
    pdf->setObjectName(QStringLiteral("targetPdf"));
    pdf->setToolTip(tr("Writes a PDF of this target at true scale"));
    connect(pdf, &QPushButton::clicked, this, &CalibrateDialog::writePdf);
    buttons->addWidget(add);
    buttons->addWidget(m_find);
    buttons->addWidget(pdf);
    layout->addLayout(buttons);
    layout->addWidget(m_look);
    m_table = new QTableWidget(0, 3, tab);
    m_table->setObjectName(QStringLiteral("targetTable"));
    m_table->setHorizontalHeaderLabels({tr("picture"), tr("points"), tr("residual")});
    m_table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_table->horizontalHeader()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    m_table->horizontalHeader()->setSectionResizeMode(2, QHeaderView::ResizeToContents);
    m_table->verticalHeader()->hide();
    m_table->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_table->setSelectionMode(QAbstractItemView::SingleSelection);
    m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_table->setShowGrid(false);
    connect(m_table, &QTableWidget::currentCellChanged, this, [this] { showPicture(); });
    layout->addWidget(m_table, 1);
    auto* plane = new QFormLayout;
    m_plane = new QComboBox(tab);
    m_plane->setObjectName(QStringLiteral("targetPlane"));
    m_plane->setToolTip(tr("In this picture the target lies where parts will lie; lengths are measured in its plane"));
    connect(m_plane, &QComboBox::activated, this, [this] {
        if (m_result.fit) find();
    });
    plane->addRow(tr("Parts lie as in"), m_plane);
    layout->addLayout(plane);
    return tab;
}

QWidget* CalibrateDialog::checkTab()
{
    auto* tab = new QWidget(this);
    auto* form = new QFormLayout(tab);
    m_part = new QComboBox(tab);
    m_part->setObjectName(QStringLiteral("checkPart"));
    if (const auto* item = m_session.currentItem())
        for (const auto& c : item->checks)
            if (!c.list && !c.values.empty() && (c.unit == base::Unit::Pixel || c.unit == base::Unit::Millimetre))
                m_part->addItem(q(c.name),
                                c.values.front() *
                                    (c.unit == base::Unit::Millimetre ? 1 / m_session.recipe().mmPerPixel() : 1.0));
    m_true = new QDoubleSpinBox(tab);
    m_true->setObjectName(QStringLiteral("trueLength"));
    m_true->setDecimals(4);
    m_true->setRange(0, 1e6);
    m_true->setSuffix(tr(" mm"));
    m_checked = new QLabel(tab);
    m_checked->setObjectName(QStringLiteral("checkedLength"));
    m_checked->setWordWrap(true);
    auto* note = new QLabel(
        tr("A part whose length is known from elsewhere says whether the calibration that is in use holds."), tab);
    note->setWordWrap(true);
    form->addRow(note);
    form->addRow(tr("Value"), m_part);
    form->addRow(tr("True length"), m_true);
    form->addRow(m_checked);
    connect(m_part, &QComboBox::currentIndexChanged, this, [this] { showCheck(); });
    connect(m_true, &QDoubleSpinBox::valueChanged, this, [this] { showCheck(); });
    showCheck();
    return tab;
}

void CalibrateDialog::showCheck()
{
    const Calibration& c = m_session.recipe().calibration;
    if (m_part->count() == 0) return m_checked->setText(tr("No length is measured on this picture yet."));
    if (c.kind() == Calibration::Kind::None) return m_checked->setText(tr("Not calibrated: nothing to check yet."));
    const double mm = m_part->currentData().toDouble() * c.mmPerPixel();
    if (m_true->value() <= 0) return m_checked->setText(tr("Measured: %1 mm").arg(mm, 0, 'f', 4));
    const double off = mm - m_true->value();
    m_checked->setText(tr("Measured %1 mm: %2 µm too %3, %4 % of the length")
                           .arg(mm, 0, 'f', 4)
                           .arg(std::abs(off) * 1000, 0, 'f', 1)
                           .arg(off >= 0 ? tr("long") : tr("short"))
                           .arg(100 * std::abs(off) / m_true->value(), 0, 'f', 3));
}

inspect::Target CalibrateDialog::target() const
{
    inspect::Target t;
    t.kind = m_kind->currentIndex() == 1 ? inspect::TargetKind::Dots : inspect::TargetKind::Checkerboard;
    t.columns = m_columns->value(), t.rows = m_rows->value();
    const base::Unit units[] = {base::Unit::Millimetre, base::Unit::Micrometre, base::Unit::Inch};
    t.pitch = base::converted(m_pitch->value(), units[m_unit->currentIndex()], base::Unit::Millimetre);
    return t;
}

void CalibrateDialog::addTargets(const QStringList& pictures)
{
    m_tabs->setCurrentIndex(1);
    for (const QString& p : pictures) {
        if (m_pictures.contains(p)) continue;
        m_pictures << p;
        m_plane->addItem(QFileInfo(p).fileName());
        const int row = m_table->rowCount();
        m_table->insertRow(row);
        auto* name = new QTableWidgetItem(QFileInfo(p).fileName());
        name->setToolTip(p);
        m_table->setItem(row, 0, name);
        m_table->setItem(row, 1, new QTableWidgetItem(QStringLiteral("–")));
        m_table->setItem(row, 2, new QTableWidgetItem(QStringLiteral("–")));
    }
    m_find->setEnabled(!m_pictures.isEmpty());
    if (m_table->currentRow() < 0 && m_table->rowCount()) m_table->setCurrentCell(0, 0);
    showPicture();
}

void CalibrateDialog::find() { search(m_plane->currentIndex()); }

void CalibrateDialog::lookAmongTrials()
{
    QStringList more;
    for (const recipe::Trial& t : m_session.recipe().trials)
        if (!m_pictures.contains(q(t.picture))) more << q(t.picture), m_fromTrials.insert(more.back());
    addTargets(more);
    search(-1);
}

// `plane`: the picture in which the target lies as parts will; -1: the first that shows it.
void CalibrateDialog::search(int plane)
{
    std::vector<std::string> pictures;
    for (const QString& p : m_pictures) pictures.push_back(p.toStdString());
    auto result = std::make_shared<inspect::Calibrating>();
    m_find->setEnabled(false), m_look->setEnabled(false), m_take->setEnabled(false);
    m_progress->show(), m_cancel->show();
    m_compared = false;
    m_changed->hide();
    m_work.start(
        int(pictures.size()),
        [this, pictures, result, t = target(), plane] {
            *result = inspect::calibrateFrom(t, pictures, plane, &m_work.done, &m_work.cancel);
        },
        [this, result] {
            m_result = std::move(*result);
            dropTrialsWithoutTarget();
            m_find->setEnabled(!m_pictures.isEmpty()), m_look->setEnabled(m_session.trialCount() > 0);
            m_take->setEnabled(true);
            m_progress->hide(), m_cancel->hide();
            if (m_result.plane >= 0) m_plane->setCurrentIndex(m_result.plane);
            showResult();
            showPicture();
        });
}

// Looked through, but parts; or not looked through to the end.
void CalibrateDialog::dropTrialsWithoutTarget()
{
    const QSignalBlocker quiet(m_table);
    for (int i = int(m_pictures.size()) - 1; i >= 0; --i) {
        const bool looked = i < int(m_result.pictures.size());
        if (!m_fromTrials.contains(m_pictures[i]) || (looked && m_result.pictures[std::size_t(i)].found)) continue;
        m_fromTrials.remove(m_pictures[i]);
        m_pictures.removeAt(i);
        m_table->removeRow(i);
        m_plane->removeItem(i);
        if (looked) m_result.pictures.erase(m_result.pictures.begin() + i);
        if (m_result.plane > i) --m_result.plane;
    }
    if (m_table->rowCount()) m_table->setCurrentCell(std::max(0, m_result.plane), 0);
}

void CalibrateDialog::showResult()
{
    for (int i = 0; i < int(m_result.pictures.size()) && i < m_table->rowCount(); ++i) {
        const auto& p = m_result.pictures[std::size_t(i)];
        m_table->item(i, 1)->setText(p.found ? QString::number(p.found->points.size()) +
                                                   (p.found->marked ? QString() : tr(" no mark"))
                                             : tr("not found"));
        m_table->item(i, 2)->setText(p.fit ? tr("%1 px").arg(p.fit->rms, 0, 'f', 3) : QString());
        for (int c = 0; c < 3; ++c) m_table->item(i, c)->setToolTip(p.found ? m_pictures[i] : q(p.why));
    }
    if (m_result.fit) {
        const auto& l = m_result.fit->calibration.lens();
        m_consequence->setText(
            tr("%1 points, residual %2 px rms, %3 px at most (%4 mm, %5 mm) · %6 mm/px · tilt %7° · lens %8 mm away%9")
                .arg(m_result.fit->points)
                .arg(m_result.fit->rms, 0, 'f', 3)
                .arg(m_result.fit->max, 0, 'f', 3)
                .arg(l.rmsMm, 0, 'f', 4)
                .arg(l.maxMm, 0, 'f', 4)
                .arg(m_result.fit->calibration.mmPerPixel(), 0, 'g', 6)
                .arg(m_result.fit->calibration.tilt(), 0, 'f', 2)
                .arg(m_result.fit->calibration.knownDistance(), 0, 'f', 0)
                .arg(m_result.fit->focalKnown ? QString()
                                              : tr(" (not determined by these pictures: tilt the target more)")));
    }
    refreshConsequences();
}

void CalibrateDialog::showPicture()
{
    const int row = m_table->currentRow();
    if (row < 0 || row >= m_pictures.size()) return m_sheet->show({}, nullptr, nullptr);
    const auto capture = image::loadCapture(m_pictures[row].toStdString());
    const inspect::TargetPicture* found =
        row < int(m_result.pictures.size()) ? &m_result.pictures[std::size_t(row)] : nullptr;
    m_sheet->show(capture ? report::toQImage(capture->first()) : QImage(), found,
                  m_result.fit ? &m_result.fit->calibration : nullptr);
}

base::Result<Calibration> CalibrateDialog::candidate() const
{
    Calibration c = m_session.recipe().calibration;
    if (m_tabs->currentIndex() == 1 && m_result.fit) c = m_result.fit->calibration;
    // the field rounds: only what a person changed counts
    else if (m_tabs->currentIndex() != 1 && m_factor->value() != m_factorAtOpen) {
        const bool byLength = m_rulerPixels > 0 && m_known->value() > 0;
        const QString by = byLength ? tr("%1 = %2 mm").arg(m_ruler).arg(m_known->value()) : tr("stated");
        c = Calibration::factor(m_factor->value(), by.toStdString());
    }
    if (c.kind() != Calibration::Kind::None || m_thickness->value() != 0)
        if (auto ok = c.setHeight(m_thickness->value(), m_distance->value()); !ok) return base::passOn(ok.error());
    return c;
}

void CalibrateDialog::refreshConsequences()
{
    if (!m_take) return;
    const auto c = candidate();
    m_compared = false;
    m_changed->hide();
    m_take->setText(tr("Take this calibration"));
    m_error->setVisible(!c);
    if (!c) m_error->setText(q(c.error().message));
    const Calibration& now = m_session.recipe().calibration;
    m_take->setEnabled(c && !(*c == now) && !m_work.running());
    if (!c) return;
    // What would be taken; else what is in use. Why a target was not found stays said.
    if (m_tabs->currentIndex() == 1 && !m_result.fit && !m_result.why.empty()) {
        m_sentence->setText(q(m_result.why));
    } else if (m_tabs->currentIndex() != 1 || !m_result.fit) {
        const bool same = *c == now;
        QString text = q(inspect::calibrationSentence(*c));
        if (same && c->kind() != Calibration::Kind::None) text = tr("In use: %1").arg(text);
        if (!same && now.bends() && !c->bends()) text += tr(" It takes the place of the lens calibration.");
        m_sentence->setText(text);
    } else {
        m_sentence->setText(q(inspect::calibrationSentence(m_result.fit->calibration)));
    }
    const auto foreign = recipe::foreignLimits(recipe::recalibrated(m_session.recipe(), *c, false)).size();
    m_convert->setVisible(foreign > 0);
    m_convert->setText(
        tr("Convert the limits to the new unit (%1); otherwise these checks are not measured until they are converted")
            .arg(foreign));
    m_distance->setEnabled(!c->bends());
    m_distance->setSpecialValueText(c->bends() ? tr("%1 mm, told by the target").arg(c->knownDistance(), 0, 'f', 1)
                                               : tr("not known"));
    if (c->bends() && m_distance->value() != 0) {
        const QSignalBlocker quiet(m_distance);
        m_distance->setValue(0);
    }
}

void CalibrateDialog::compareTrials(const Calibration& with)
{
    const recipe::Recipe next = recipe::recalibrated(m_session.recipe(), with, m_convert->isChecked());
    auto lines = std::make_shared<QStringList>();
    std::vector<std::pair<int, bool>> before;
    for (int t = 0; t < m_session.trialCount(); ++t)
        if (const auto* r = m_session.result(t);
            r && !m_fromTrials.contains(q(m_session.recipe().trials[std::size_t(t)].picture)))
            before.emplace_back(t, r->accepted());
    m_take->setEnabled(false);
    m_progress->show(), m_cancel->show();
    m_work.start(
        int(before.size()),
        [this, next, before, lines] {
            auto prepared = inspect::Prepared::make(next);
            if (!prepared) return;
            for (const auto& [t, accepted] : before) {
                if (m_work.cancel) return;
                const std::string& picture = next.trials[std::size_t(t)].picture;
                if (const auto capture = image::loadCapture(picture)) {
                    const auto r = inspect::evaluate(*prepared, *capture);
                    if (r.accepted() != accepted)
                        *lines << tr("trial %1, %2: %3 now, %4 then%5")
                                      .arg(t + 1)
                                      .arg(QFileInfo(q(picture)).fileName(), accepted ? tr("accepted") : tr("rejected"),
                                           accepted ? tr("rejected") : tr("accepted"),
                                           r.accepted() ? QString()
                                                        : QStringLiteral(": ") + q(r.items.front().sentence()));
                }
                ++m_work.done;
            }
        },
        [this, lines] {
            m_progress->hide(), m_cancel->hide();
            m_take->setEnabled(true);
            m_compared = true;
            if (lines->isEmpty()) return accept();
            m_changed->clear();
            m_changed->addItems(*lines);
            m_changed->show();
            m_consequence->setText(tr("Trials that change their verdict: %1").arg(lines->size()));
            m_take->setText(tr("Take it all the same"));
        });
}

void CalibrateDialog::accept()
{
    if (m_work.running()) return;
    const auto c = candidate();
    if (!c) return refreshConsequences();
    const Calibration old = m_session.recipe().calibration;
    if (*c == old) return QDialog::accept();
    if ((c->bends() || old.bends()) && !m_compared && m_session.trialCount() > 0) return compareTrials(*c);
    std::vector<std::string> targets;
    for (const QString& p : m_pictures)
        if (m_tabs->currentIndex() == 1 && m_fromTrials.contains(p)) targets.push_back(p.toStdString());
    m_session.recalibrate(*c, m_convert->isChecked(), targets);
    QDialog::accept();
}

void CalibrateDialog::writePdf()
{
    QFileDialog dialog(this, tr("Write the target as PDF"), QDir::homePath(), tr("PDF (*.pdf)"));
    dialog.setOption(QFileDialog::DontUseNativeDialog);
    dialog.setAcceptMode(QFileDialog::AcceptSave);
    dialog.setDefaultSuffix(QStringLiteral("pdf"));
    if (dialog.exec() != QDialog::Accepted || dialog.selectedFiles().isEmpty()) return;
    const auto ok = report::writeTargetPdf(dialog.selectedFiles().front().toStdString(), target());
    const auto page = report::targetPage(target());
    m_consequence->setText(ok ? tr("%1 written, %2 × %3 mm; print it at 100 %")
                                    .arg(dialog.selectedFiles().front())
                                    .arg(page.width, 0, 'f', 1)
                                    .arg(page.height, 0, 'f', 1)
                              : q(ok.error().text()));
}

} // namespace desktop
