#include "desktop/setup/step_acts.h"

#include "report/theme.h"

#include <QApplication>
#include <QClipboard>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <algorithm>
#include <cmath>

namespace desktop
{
using namespace recipe;
using geometry::Point;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
} // namespace

void StepActs::copy()
{
    const Step* s = m_session.selectedStep();
    if (!s || m_session.draft()) return emit m_session.said(tr("Choose a step to copy first"));
    QApplication::clipboard()->setText(q(stepsToText(m_session.recipe(), {s->id})));
    emit m_session.said(tr("%1 is copied; Ctrl+V pastes it, also into another recipe").arg(q(s->name)));
}

void StepActs::cut()
{
    const Step* s = m_session.selectedStep();
    if (!s || m_session.draft()) return emit m_session.said(tr("Choose a step to cut first"));
    copy();
    remove();
}

void StepActs::paste()
{
    if (m_session.draft()) m_session.dropDraft();
    auto pasted = stepsFromText(m_session.recipe(), QApplication::clipboard()->text().toStdString());
    if (!pasted) return emit m_session.said(q(pasted.error().text()));
    if (pasted->steps.empty()) return emit m_session.said(tr("The clipboard holds no steps"));
    const std::string last = pasted->steps.back().id;
    m_session.change(tr("paste %1").arg(q(pasted->steps.back().name)),
                     [&](Recipe& r) { r.steps.insert(r.steps.end(), pasted->steps.begin(), pasted->steps.end()); });
    m_session.select(last);
    emit m_session.said(pasted->missing.empty() ? tr("%1 pasted").arg(q(pasted->steps.back().name))
                                                : tr("%1; choose another in the form").arg(q(pasted->missing.front())));
}

void StepActs::repeat()
{
    const Step* s = m_session.selectedStep();
    if (!s || m_session.draft()) return emit m_session.said(tr("Choose a step to repeat first"));
    const std::string id = s->id;
    if (auto can = repeated(m_session.recipe(), id, {}); !can) return emit m_session.said(q(can.error().text()));
    CopiesDialog dialog(m_session, id, m_window);
    if (dialog.exec() != QDialog::Accepted) return;
    auto made = repeated(m_session.recipe(), id, dialog.chosen());
    if (!made) return emit m_session.said(q(made.error().text()));
    const int copies = dialog.chosen().copies();
    m_session.change(tr("repeat %1").arg(q(m_session.recipe().find(id)->name)), [&](Recipe& r) {
        r.steps.insert(r.steps.begin() + r.indexOf(id) + 1, made->begin(), made->end());
    });
    emit m_session.said(tr("%n copies made, each with its own range and limits", nullptr, copies));
}

void StepActs::move(int direction)
{
    const Step* s = m_session.selectedStep();
    if (!s || m_session.draft()) return;
    Recipe tried = m_session.recipe();
    if (auto ok = moveStep(tried, s->id, direction); !ok) return emit m_session.said(q(ok.error().message));
    m_session.change(tr("move %1").arg(q(s->name)), [&, id = s->id](Recipe& r) { (void)moveStep(r, id, direction); });
}

void StepActs::removeAll(const std::vector<std::string>& ids, const QString& what)
{
    m_session.change(what, [&](Recipe& r) {
        r.steps.erase(
            std::remove_if(r.steps.begin(), r.steps.end(),
                           [&](const Step& s) { return std::find(ids.begin(), ids.end(), s.id) != ids.end(); }),
            r.steps.end());
    });
}

void StepActs::remove()
{
    const std::string id = m_session.selected();
    if (id.empty() || m_session.draft()) return;
    m_orphans = withReaders(m_session.recipe(), id);
    m_orphans.erase(m_orphans.begin());
    const QString name = q(m_session.recipe().find(id)->name);
    removeAll({id}, tr("delete %1").arg(name));
    m_session.select({});
    emit m_session.said(
        m_orphans.empty() ? tr("%1 deleted").arg(name)
                          : tr("%1 deleted; %2 steps that read it say \"input missing\". Shift+Ctrl+Del deletes these "
                               "too, Ctrl+Z brings it back; or choose what they read in the form")
                                .arg(name)
                                .arg(m_orphans.size()));
}

void StepActs::removeWithReaders()
{
    if (m_session.draft()) return;
    std::vector<std::string> ids;
    if (const Step* s = m_session.selectedStep()) ids = withReaders(m_session.recipe(), s->id);
    else
        for (const std::string& id : m_orphans)
            if (m_session.recipe().find(id)) ids.push_back(id);
    m_orphans.clear();
    if (ids.empty()) return emit m_session.said(tr("Choose a step first"));
    m_session.select({});
    removeAll(ids, tr("delete %n steps", nullptr, int(ids.size())));
    emit m_session.said(tr("%n steps deleted (Ctrl+Z brings them back)", nullptr, int(ids.size())));
}

// ---------------------------------------------------------------- copies
CopiesDialog::CopiesDialog(Session& session, const std::string& step, QWidget* parent)
    : QDialog(parent), m_session(session), m_step(step)
{
    const Recipe& r = session.prepared()->recipe();
    const Step& s = *r.find(step);
    setObjectName(QStringLiteral("copiesDialog"));
    setWindowTitle(tr("Repeat %1").arg(q(s.name)));
    // Along the datum as it lies on the reference.
    const auto pose = inspect::referencePose(r, s.datum);
    const double angle = pose ? pose->angle : 0;
    m_axisX = geometry::direction(angle), m_axisY = geometry::direction(angle - geometry::kPi / 2);
    if (pose) m_origin = pose->origin;
    const double k = r.mmPerPixel();
    m_unit = k > 0 ? 1 / k : 1;
    const QString unit = k > 0 ? tr(" mm") : tr(" px");
    geometry::Point middle, size{20, 20};
    if (!s.regions.empty()) {
        const auto outline = s.regions.begin()->second.outlines(24).front();
        double x0 = 1e300, x1 = -1e300, y0 = 1e300, y1 = -1e300;
        for (const Point p : outline) {
            const double x = geometry::dot(p, m_axisX), y = geometry::dot(p, m_axisY);
            x0 = std::min(x0, x), x1 = std::max(x1, x), y0 = std::min(y0, y), y1 = std::max(y1, y);
        }
        size = {x1 - x0, y1 - y0};
    }
    auto* form = new QFormLayout(this);
    m_way = new QComboBox(this);
    m_way->setObjectName(QStringLiteral("copiesWay"));
    m_way->addItems({tr("in rows and columns"), tr("round a centre")});
    form->addRow(tr("Repeat"), m_way);
    const auto whole = [&](const char* name, int low, int high, int value) {
        auto* box = new QSpinBox(this);
        box->setObjectName(QLatin1String(name));
        box->setRange(low, high);
        box->setValue(value);
        connect(box, &QSpinBox::valueChanged, this, [this] { refresh(); });
        return box;
    };
    const auto real = [&](const char* name, double value, const QString& suffix) {
        auto* box = new QDoubleSpinBox(this);
        box->setObjectName(QLatin1String(name));
        box->setRange(-100000, 100000);
        box->setDecimals(3);
        box->setSuffix(suffix);
        box->setValue(value);
        connect(box, &QDoubleSpinBox::valueChanged, this, [this] { refresh(); });
        return box;
    };
    const auto add = [&](const QString& label, QWidget* field, std::vector<QWidget*>& group) {
        form->addRow(label, field);
        field->setAccessibleName(label);
        group.push_back(field), group.push_back(form->labelForField(field));
    };
    m_columns = whole("copiesColumns", 1, 500, 2), m_rows = whole("copiesRows", 1, 500, 1);
    m_columnStep = real("copiesColumnStep", std::round(1.2 * size.x / m_unit * 1000) / 1000, unit);
    m_rowStep = real("copiesRowStep", std::round(1.2 * size.y / m_unit * 1000) / 1000, unit);
    add(tr("Columns, along x"), m_columns, m_straight);
    add(tr("from one to the next"), m_columnStep, m_straight);
    add(tr("Rows, along y"), m_rows, m_straight);
    add(tr("from one to the next"), m_rowStep, m_straight);
    m_count = whole("copiesCount", 2, 501, 6);
    m_sweep = real("copiesSweep", 360, tr("°"));
    m_sweep->setRange(-360, 360);
    m_centre = new QComboBox(this);
    m_centre->setObjectName(QStringLiteral("copiesCentre"));
    // Round things lie where they were found on what is in view; carried back to the reference.
    const auto* item = session.currentItem();
    const auto placed = inspect::Placing(r, item).following(s.datum);
    if (pose)
        m_centre->addItem(tr("the origin of %1").arg(q(r.find(s.datum)->letter)), QPointF(m_origin.x, m_origin.y));
    if (item && placed)
        for (const Step& other : r.steps) {
            const auto* found = item->step(other.id);
            if (!found || found->features.empty() || other.id == step) continue;
            const Feature& f = found->features.begin()->second;
            if (typeOf(f) == FeatureType::Line || typeOf(f) == FeatureType::Group) continue;
            const Point at = placed->motion().inverse().carry(recipe::placeOf(f));
            m_centre->addItem(q(other.name), QPointF(at.x, at.y));
        }
    if (m_centre->count() == 0 && session.capture()) {
        const auto& picture = session.shownPicture().pixels;
        m_centre->addItem(tr("the middle of the picture"), QPointF(picture.width() / 2.0, picture.height() / 2.0));
    }
    connect(m_centre, &QComboBox::currentIndexChanged, this, [this] { refresh(); });
    add(tr("In all"), m_count, m_round);
    add(tr("over"), m_sweep, m_round);
    add(tr("round"), m_centre, m_round);
    m_words = new QLabel(this);
    m_words->setObjectName(QStringLiteral("copiesWords"));
    form->addRow(m_words);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    buttons->button(QDialogButtonBox::Ok)->setText(tr("Repeat"));
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    form->addRow(buttons);
    connect(m_way, &QComboBox::currentIndexChanged, this, [this] { refresh(); });
    refresh();
    m_columns->setFocus();
    m_columns->selectAll();
}
CopiesDialog::~CopiesDialog() { m_session.ghost({}, {}); }

void CopiesDialog::refresh()
{
    m_repeat.round = m_way->currentIndex() == 1;
    m_repeat.columns = m_columns->value(), m_repeat.rows = m_rows->value(), m_repeat.count = m_count->value();
    m_repeat.columnStep = m_axisX * (m_columnStep->value() * m_unit);
    m_repeat.rowStep = m_axisY * (m_rowStep->value() * m_unit);
    m_repeat.sweep = geometry::radians(m_sweep->value());
    const QPointF centre = m_centre->currentData().toPointF();
    m_repeat.centre = {centre.x(), centre.y()};
    for (QWidget* w : m_straight) w->setVisible(!m_repeat.round);
    for (QWidget* w : m_round) w->setVisible(m_repeat.round);
    auto made = repeated(m_session.recipe(), m_step, m_repeat);
    m_words->setText(made ? tr("%1 more, %2 in all").arg(m_repeat.copies()).arg(m_repeat.copies() + 1)
                          : q(made.error().message));
    std::vector<geometry::Region> regions;
    if (made)
        for (const Step& s : *made)
            for (const auto& [key, region] : s.regions) regions.push_back(region);
    m_session.ghost(m_session.recipe().find(m_step)->datum, std::move(regions));
}

} // namespace desktop
