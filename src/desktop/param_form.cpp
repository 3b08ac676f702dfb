#include "desktop/param_form.h"

#include "desktop/region_numbers.h"
#include "desktop/words.h"
#include "recipe/naming.h"
#include "report/theme.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QSpinBox>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>
#include <QWheelEvent>
#include <algorithm>
#include <cmath>
#include <limits>

namespace desktop
{
using namespace recipe;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }

// The wheel scrolls the form; a number changes by it only when it was clicked first.
template <class Box> class Calm : public Box
{
public:
    using Box::Box;
    void wheelEvent(QWheelEvent* e) override
    {
        if (this->hasFocus()) Box::wheelEvent(e);
        else e->ignore();
    }
};
} // namespace

ParamForm::ParamForm(QWidget* parent) : QWidget(parent)
{
    setObjectName(QStringLiteral("form"));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    clear();
}

void ParamForm::clear()
{
    m_shown.clear();
    if (m_body) {
        // One of its fields may be the one that is just speaking: it goes when that is over, and says nothing more.
        for (QObject* field : m_body->findChildren<QObject*>()) field->blockSignals(true);
        layout()->removeWidget(m_body);
        m_body->hide();
        m_body->setParent(nullptr);
        m_body->deleteLater();
    }
    m_body = new QWidget(this);
    m_form = new QFormLayout(m_body);
    m_form->setContentsMargins(12, 6, 18, 12);
    m_form->setVerticalSpacing(4);
    m_form->setFieldGrowthPolicy(QFormLayout::AllNonFixedFieldsGrow);
    m_form->setRowWrapPolicy(QFormLayout::WrapLongRows); // a long row must not push the fields under the scroll bar
    m_form->setLabelAlignment(Qt::AlignLeft);
    layout()->addWidget(m_body);
}

void ParamForm::addRow(const QString& label, QWidget* editor, const QString& help)
{
    editor->setToolTip(help);
    editor->setAccessibleName(label);
    // Nor does a number that could be long need the room for it.
    if (auto* number = qobject_cast<QAbstractSpinBox*>(editor)) number->setMinimumWidth(96);
    // A long name in a list must not make the form wider than its place.
    QList<QComboBox*> boxes = editor->findChildren<QComboBox*>();
    if (auto* own = qobject_cast<QComboBox*>(editor)) boxes << own;
    for (QComboBox* box : boxes) {
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        box->setMinimumContentsLength(6);
    }
    auto* l = new QLabel(label, m_body);
    l->setToolTip(help);
    l->setBuddy(editor);
    m_form->addRow(l, editor);
}

QWidget* ParamForm::editorFor(const ParamSpec& spec, const Recipe& recipe, const Step& step)
{
    const Value now = spec.get(step.params);
    const QString suffix =
        spec.unit == base::Unit::None ? QString() : QStringLiteral(" ") + QString::fromUtf8(base::symbol(spec.unit));
    const QString key = q(spec.key), label = q(spec.label);
    const StepKind* kind_ = findKind(step.kind);
    const auto store = [this, &spec, key, label, kind_, step_params = step.params](const Value& v) {
        if (auto ok = spec.check(v); !ok) return emit problem(q(ok.error().message));
        // Two settings must not contradict each other; the field goes back to what it was.
        if (std::any params = step_params; true) {
            spec.put(params, v);
            if (auto ok = kind_->consistent(params, true); !ok) {
                emit problem(q(ok.error().message));
                return QTimer::singleShot(0, this, &ParamForm::againWanted);
            }
        }
        emit edited(
            label, [&spec, v](Step& s) { spec.put(s.params, v); }, QStringLiteral("param:") + key);
    };
    QWidget* made = nullptr;
    if (const auto* r = std::get_if<Real>(&spec.domain)) {
        auto* e = new Calm<QDoubleSpinBox>(m_body);
        e->setDecimals(r->step >= 1 ? 1 : r->step >= 0.1 ? 2 : 3);
        e->setRange(r->min, r->max);
        e->setSingleStep(r->step);
        e->setSuffix(suffix);
        e->setValue(std::get<double>(now));
        e->setKeyboardTracking(false);
        connect(e, &QDoubleSpinBox::valueChanged, this, [store](double v) { store(v); });
        made = e;
    } else if (const auto* w = std::get_if<Whole>(&spec.domain)) {
        auto* e = new Calm<QSpinBox>(m_body);
        e->setRange(int(w->min), int(std::min<std::int64_t>(w->max, std::numeric_limits<int>::max())));
        e->setSuffix(suffix);
        e->setValue(int(std::get<std::int64_t>(now)));
        e->setKeyboardTracking(false);
        connect(e, &QSpinBox::valueChanged, this, [store](int v) { store(std::int64_t(v)); });
        made = e;
    } else if (const auto* c = std::get_if<Choices>(&spec.domain)) {
        auto* e = new Calm<QComboBox>(m_body);
        for (const Choice& x : c->all) e->addItem(q(x.label), q(x.key));
        e->setCurrentIndex(e->findData(q(std::get<std::string>(now))));
        connect(e, &QComboBox::currentIndexChanged, this,
                [store, e](int) { store(e->currentData().toString().toStdString()); });
        made = e;
    } else if (const auto* text = std::get_if<Text>(&spec.domain)) {
        // A formula is shown with names and kept with ids, so that renaming breaks nothing.
        const std::string stored = std::get<std::string>(now);
        auto* e = new QLineEdit(q(text->formula ? withNames(stored, recipe) : stored), m_body);
        if (text->formula) e->setPlaceholderText(tr("[step] or [step.value], for example [Width] - 26"));
        connect(e, &QLineEdit::editingFinished, this, [this, e, store, stored, formula = text->formula, recipe] {
            const std::string typed = e->text().toStdString(), kept = formula ? withIds(typed, recipe) : typed;
            if (kept != stored) store(kept);
        });
        made = e;
    } else {
        auto* e = new QCheckBox(m_body);
        e->setChecked(std::get<bool>(now));
        connect(e, &QCheckBox::toggled, this, [store](bool v) { store(v); });
        made = e;
    }
    made->setObjectName(key);
    made->setFocusPolicy(Qt::StrongFocus);
    return made;
}

void ParamForm::show(const Recipe& recipe, const Step& step, const std::vector<std::string>& chosen, bool draft)
{
    const StepKind* kind = findKind(step.kind);
    if (!kind) return clear();
    clear();
    m_shown = step.id;
    // The limits stand right under the evidence, where they are read and dragged.
    for (const Check& c : step.checks)
        if (const OutputSpec* out = kind->output(c.output)) addCheck(recipe, step, c, *out);
    auto* name = new QLineEdit(q(step.name), m_body);
    name->setObjectName(QStringLiteral("stepName"));
    connect(name, &QLineEdit::editingFinished, this, [this, name, old = q(step.name)] {
        const QString text = name->text().trimmed();
        if (text.isEmpty() || text == old) return;
        emit edited(tr("rename"),
                    [n = text.toStdString(), o = old.toStdString()](Step& s) {
                        s.name = n;
                        for (Check& c : s.checks)
                            if (c.name == o) c.name = n;
                    },
                    {});
    });
    addRow(tr("Name"), name, tr("Used everywhere; renaming never breaks anything."));
    // Which datum it follows.
    if (!kind->regions.empty() || !kind->inputs.empty() || !kind->points.empty()) {
        auto* follows = new Calm<QComboBox>(m_body);
        follows->setObjectName(QStringLiteral("datum"));
        follows->addItem(tr("nothing: fixed to the picture"), QString());
        for (const Step& s : recipe.steps)
            if (const StepKind* k = findKind(s.kind); k && k->datum && s.id != step.id)
                follows->addItem(q(s.letter + " · " + s.name), q(s.id));
        const int at = follows->findData(q(step.datum));
        if (at < 0) follows->addItem(tr("input missing"), q(step.datum));
        follows->setCurrentIndex(at < 0 ? follows->count() - 1 : at);
        connect(follows, &QComboBox::currentIndexChanged, this, [this, follows](int) {
            emit edited(tr("follows"), [d = follows->currentData().toString().toStdString()](Step& s) { s.datum = d; },
                        {});
        });
        addRow(tr("Follows"), follows, tr("The datum that carries this step along as the part moves."));
    }
    for (const InputSpec& in : kind->inputs) { // only what fits is offered
        auto* box = new Calm<QComboBox>(m_body);
        box->setObjectName(QStringLiteral("input_") + q(in.key));
        const auto now = step.inputs.find(in.key);
        for (const Step& s : recipe.steps)
            if (const StepKind* k = findKind(s.kind);
                k && k->hasFeature && s.id != step.id &&
                std::find(in.accepts.begin(), in.accepts.end(), k->feature) != in.accepts.end())
                box->addItem(q(s.name), q(s.id));
        const int at = now == step.inputs.end() ? -1 : box->findData(q(now->second));
        if (at < 0 || !in.needed)
            box->insertItem(0,
                            now == step.inputs.end() || now->second.empty() || at >= 0
                                ? (in.needed ? tr("choose…") : tr("none"))
                                : tr("input missing"),
                            QString());
        box->setCurrentIndex(std::max(0, at < 0 ? at : in.needed ? at : at + 1));
        connect(box, &QComboBox::currentIndexChanged, this, [this, box, key = in.key](int) {
            emit edited(tr("input"),
                        [key, id = box->currentData().toString().toStdString()](Step& s) {
                            if (id.empty()) s.inputs.erase(key);
                            else s.inputs[key] = id;
                        },
                        {});
        });
        addRow(q(in.label), box, q(in.help));
    }
    addPictures(recipe, step, *kind);
    if (draft && !chosen.empty()) {
        auto* note = new QLabel(tr("chosen for you"), m_body);
        note->setObjectName(QStringLiteral("chosenForYou"));
        m_form->addRow(note);
    }
    // The settings that matter: what was chosen, then the primary ones; five at most. The rest on demand.
    std::vector<const ParamSpec*> first, rest;
    for (const std::string& key : chosen)
        if (const ParamSpec* p = kind->param(key)) first.push_back(p);
    const auto isRead = [&](const ParamSpec& p) {
        const bool without = std::any_of(kind->pictures.begin(), kind->pictures.end(), [&](const PictureSpec& spec) {
            return !spec.needed && step.pictures.count(spec.key) == 0 &&
                   std::find(spec.params.begin(), spec.params.end(), p.key) != spec.params.end();
        });
        return !without && kind->isRead(p, step.params);
    };
    std::size_t read = 0;
    for (const ParamSpec& p : kind->params) read += isRead(p);
    for (const ParamSpec& p : kind->params)
        if (isRead(p) && std::find(first.begin(), first.end(), &p) == first.end())
            (p.primary && first.size() < 5 ? first : rest).push_back(&p);
    for (const ParamSpec* p : first)
        addRow(q(p->label), editorFor(*p, recipe, step), q(p->help) + QStringLiteral("\n") + q(p->rangeText()));
    if (!rest.empty()) {
        auto* more = new QToolButton(m_body);
        more->setObjectName(QStringLiteral("allSettings"));
        more->setText(m_all ? tr("fewer settings") : tr("all settings (%1)").arg(read));
        more->setToolTip(tr("Shows every setting of this step."));
        more->setFocusPolicy(Qt::StrongFocus);
        connect(more, &QToolButton::clicked, this, [this] {
            m_all = !m_all;
            QTimer::singleShot(0, this, &ParamForm::againWanted); // the button goes with the old form
        });
        if (m_all)
            for (const ParamSpec* p : rest)
                addRow(q(p->label), editorFor(*p, recipe, step), q(p->help) + QStringLiteral("\n") + q(p->rangeText()));
        m_form->addRow(more);
    }
    addLists(recipe, step, *kind);
    addJudgeAlso(recipe, step, *kind);
}

void ParamForm::showSetting(const std::string& key)
{
    auto* field = findChild<QWidget*>(q(key));
    if (!field && !m_shown.empty()) {
        m_all = true;
        emit againWanted();
        m_body->show();
        field = findChild<QWidget*>(q(key));
    }
    if (!field) return;
    for (QWidget* w = parentWidget(); w; w = w->parentWidget())
        if (auto* scroll = qobject_cast<QScrollArea*>(w)) {
            // Rows get their places before one of them is looked for.
            QTimer::singleShot(0, field, [scroll, field] { scroll->ensureWidgetVisible(field); });
            break;
        }
    field->setFocus(Qt::ShortcutFocusReason);
    if (auto* text = qobject_cast<QLineEdit*>(field)) text->selectAll();
    if (auto* spin = qobject_cast<QAbstractSpinBox*>(field)) spin->selectAll();
}

// Which pictures of the capture it reads, where there is a choice; only what fits is offered.
void ParamForm::addPictures(const Recipe& recipe, const Step& step, const StepKind& kind)
{
    if (recipe.pictures.size() < 2 && step.pictures.empty()) return;
    for (const PictureSpec& spec : kind.pictures) {
        auto* box = new Calm<QComboBox>(m_body);
        box->setObjectName(QStringLiteral("picture_") + q(spec.key));
        for (const image::PictureName& n : recipe.pictures)
            if (n.height.has_value() == spec.height) box->addItem(q(n.key), q(n.key));
        const auto now = step.pictures.find(spec.key);
        const bool first = &spec == &kind.pictures.front();
        int at = now == step.pictures.end() ? -1 : box->findData(q(now->second));
        if (at < 0 && first && box->count() > 0) at = 0; // the first that fits
        if (!spec.needed) {
            const bool said = now != step.pictures.end();
            if (box->count() == 0 && !said) { // nothing of the sort is in a capture
                delete box;
                continue;
            }
            box->insertItem(0, tr("none"), QString());
            at = at >= 0 ? at + 1 : said ? -1 : 0;
        }
        if (at < 0) box->insertItem(at = 0, tr("choose…"), QString());
        box->setCurrentIndex(at);
        connect(box, &QComboBox::currentIndexChanged, this, [this, box, key = spec.key](int) {
            emit edited(tr("picture"),
                        [key, picture = box->currentData().toString().toStdString()](Step& s) {
                            if (picture.empty()) s.pictures.erase(key);
                            else s.pictures[key] = picture;
                        },
                        {});
        });
        addRow(q(spec.label), box, q(spec.help));
    }
}

// Regions that are results, what is left out, filters, colours and places.
void ParamForm::addLists(const Recipe& recipe, const Step& step, const StepKind& kind)
{
    for (const RegionSpec& spec : kind.regions) {
        m_numbersOffered.clear();
        addRegionOf(recipe, step, spec);
        addFreeArea(recipe, step, kind, spec);
        addNumbers(step, spec);
    }
    addLeftOutColoursAndPlaces(step, kind);
    if (!kind.hasFilters) return;
    for (std::size_t i = 0; i < step.filters.size(); ++i)
        if (const OutputSpec* out = kind.output(step.filters[i].output)) addFilter(step.filters[i], i, *out);
    addFilterBy(step, kind);
}

// Drawn, or where another step is.
void ParamForm::addRegionOf(const Recipe& recipe, const Step& step, const RegionSpec& spec)
{
    if (spec.teaching) return;
    const auto of = step.regionsOf.find(spec.key);
    std::vector<const Step*> givers;
    for (const Step& s : recipe.steps)
        if (const StepKind* k = findKind(s.kind); k && k->hasFeature && s.id != step.id) givers.push_back(&s);
    if (givers.empty() && of == step.regionsOf.end()) return;
    auto* line = new QWidget(m_body);
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    auto* box = new Calm<QComboBox>(line);
    box->setObjectName(QStringLiteral("regionOf_") + q(spec.key));
    box->setAccessibleName(tr("%1 is").arg(q(spec.label)));
    box->addItem(step.regions.count(spec.key) || spec.needed ? tr("drawn") : tr("the whole picture"), QString());
    for (const Step* s : givers) box->addItem(tr("where %1 is").arg(q(s->name)), q(s->id));
    box->setCurrentIndex(of == step.regionsOf.end() ? 0 : std::max(0, box->findData(q(of->second.step))));
    connect(box, &QComboBox::currentIndexChanged, this, [this, box, key = spec.key](int) {
        emit edited(tr("region"),
                    [key, id = box->currentData().toString().toStdString()](Step& s) {
                        if (id.empty()) s.regionsOf.erase(key);
                        else s.regionsOf[key].step = id;
                    },
                    {});
    });
    row->addWidget(box, 1);
    if (of != step.regionsOf.end()) {
        auto* grow = new Calm<QDoubleSpinBox>(line);
        grow->setObjectName(QStringLiteral("grow_") + q(spec.key));
        grow->setRange(-1000, 1000);
        grow->setSuffix(tr(" px larger"));
        grow->setAccessibleName(tr("Larger by"));
        grow->setToolTip(tr("How much larger than the result the region is, on every side."));
        grow->setValue(of->second.grow);
        grow->setKeyboardTracking(false);
        connect(grow, &QDoubleSpinBox::valueChanged, this, [this, key = spec.key](double v) {
            emit edited(
                tr("region"), [key, v](Step& s) { s.regionsOf[key].grow = v; }, QStringLiteral("grow:") + q(key));
        });
        row->addWidget(grow);
    } else if (canBeTyped(step, spec)) {
        row->addWidget(numbersButton(spec, line));
        m_numbersOffered = spec.key;
    }
    addRow(q(spec.label), line, tr("Drawn on the sheet, or the result of another step."));
}

// An area that need not be there: drawn in the middle of the reference to be dragged where it belongs, and taken away
// again.
void ParamForm::addFreeArea(const Recipe& recipe, const Step& step, const StepKind& kind, const RegionSpec& spec)
{
    if (spec.needed || step.regionsOf.count(spec.key) || spec.shapes.empty() || recipe.reference.empty()) return;
    const bool drawn = step.regions.count(spec.key) > 0;
    const double w = recipe.reference.capture->width(), h = recipe.reference.capture->rows();
    const double share = spec.teaching ? 0.2 : 0.7;
    const auto around = step.regions.find(kind.regions.front().key);
    const geometry::Point middle =
        spec.teaching && around != step.regions.end() ? around->second.middle() : geometry::Point{w / 2, h / 2};
    auto* line = new QWidget(m_body);
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, 0, 0, 0);
    auto* words = new QLabel(drawn ? tr("drawn") : spec.teaching ? tr("none") : tr("the whole picture"), line);
    auto* button = new QToolButton(line);
    button->setObjectName((drawn ? QStringLiteral("dropRegion_") : QStringLiteral("drawRegion_")) + q(spec.key));
    button->setText(drawn ? tr("take away") : tr("draw"));
    button->setToolTip(q(spec.help));
    button->setFocusPolicy(Qt::StrongFocus);
    connect(button, &QToolButton::clicked, this, [this, key = spec.key, drawn, middle, w, h, share] {
        QTimer::singleShot(0, this, [this, key, drawn, middle, w, h, share] {
            emit edited(drawn ? tr("take area away") : tr("draw area"),
                        [=](Step& s) {
                            if (drawn) s.regions.erase(key);
                            else s.regions[key] = geometry::Region::rectangle(middle, share * w, share * h);
                        },
                        {});
        });
    });
    row->addWidget(words, 1);
    if (drawn && m_numbersOffered != spec.key) {
        row->addWidget(numbersButton(spec, line));
        m_numbersOffered = spec.key;
    }
    row->addWidget(button);
    addRow(q(spec.label), line, q(spec.help));
}

QToolButton* ParamForm::numbersButton(const RegionSpec& spec, QWidget* parent)
{
    auto* fold = new QToolButton(parent);
    fold->setObjectName(QStringLiteral("numbers_") + q(spec.key));
    fold->setText(m_numbers.count(spec.key) ? tr("fold numbers") : tr("in numbers"));
    fold->setToolTip(tr("Places and sizes of the region on the reference, to be typed"));
    fold->setFocusPolicy(Qt::StrongFocus);
    connect(fold, &QToolButton::clicked, this, [this, key = spec.key] {
        if (!m_numbers.erase(key)) m_numbers.insert(key);
        QTimer::singleShot(0, this, &ParamForm::againWanted);
    });
    return fold;
}

// What is drawn may be typed as well; folded, as most are drawn.
bool ParamForm::canBeTyped(const Step& step, const RegionSpec& spec) const
{
    const auto drawn = step.regions.find(spec.key);
    return drawn != step.regions.end() && drawn->second.shape != geometry::Shape::Whole &&
           !step.regionsOf.count(spec.key);
}

void ParamForm::addNumbers(const Step& step, const RegionSpec& spec)
{
    if (!canBeTyped(step, spec)) return;
    if (m_numbersOffered != spec.key) {
        auto* line = new QWidget(m_body); // a button of its own size
        auto* row = new QHBoxLayout(line);
        row->setContentsMargins(0, 0, 0, 0);
        row->addWidget(numbersButton(spec, line));
        row->addStretch(1);
        addRow(q(spec.label), line, q(spec.help));
    }
    if (!m_numbers.count(spec.key)) return;
    const auto drawn = step.regions.find(spec.key);
    auto* numbers = new RegionNumbers(drawn->second, m_body);
    connect(numbers, &RegionNumbers::problem, this, [this](const QString& text) {
        emit problem(text);
        QTimer::singleShot(0, this, &ParamForm::againWanted);
    });
    connect(numbers, &RegionNumbers::changed, this,
            [this, key = spec.key](const geometry::Region& region, const QString& field) {
                emit edited(
                    tr("region"), [key, region](Step& s) { s.regions[key] = region; },
                    QStringLiteral("numbers:") + q(key) + field);
            });
    m_form->addRow(numbers);
}

void ParamForm::addLineWithButton(const QString& label, const QString& text, const QString& button, const QString& name,
                                  const QString& help, const std::function<void(Step&)>& edit)
{
    auto* line = new QWidget(m_body);
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, 0, 0, 0);
    auto* words = new QLabel(text, line);
    words->setWordWrap(true);
    auto* drop = new QToolButton(line);
    drop->setText(button);
    drop->setObjectName(name);
    drop->setToolTip(help);
    connect(drop, &QToolButton::clicked, this, [this, label, edit] {
        QTimer::singleShot(0, this, [this, label, edit] { emit edited(label, edit, {}); });
    });
    row->addWidget(words, 1);
    row->addWidget(drop);
    addRow(label, line, help);
}

void ParamForm::addLeftOutColoursAndPlaces(const Step& step, const StepKind& kind)
{
    if (kind.leavesOut && !step.leaveOut.empty())
        addLineWithButton(tr("Left out"), counted(qsizetype(step.leaveOut.size()), tr("area"), tr("areas")),
                          tr("take the last back"), QStringLiteral("leaveOutBack"),
                          tr("Press X and draw to leave out more; drag the handles to change them."),
                          [](Step& s) { s.leaveOut.pop_back(); });
    if (kind.hasSamples && kind.takesColour(step.params)) {
        const auto refused =
            std::count_if(step.samples.begin(), step.samples.end(), [](const Sample& s) { return s.refused; });
        if (step.samples.empty()) {
            auto* hint = new QLabel(tr("Click colours on the reference; Shift-click what is not meant."), m_body);
            hint->setWordWrap(true);
            addRow(tr("Colours"), hint, tr("Each click adds a colour."));
        } else {
            addLineWithButton(tr("Colours"),
                              tr("%1 taken, %2 refused").arg(qsizetype(step.samples.size()) - refused).arg(refused),
                              tr("take the last back"), QStringLiteral("sampleBack"),
                              tr("Click more colours on the reference; Shift-click what is not meant."),
                              [](Step& s) { s.samples.pop_back(); });
        }
    }
    if (kind.hasPlaces && !step.places.empty()) {
        QString names;
        for (const Place& p : step.places) names += (names.isEmpty() ? "" : ", ") + q(p.name);
        addLineWithButton(tr("Places"), names, tr("no places"), QStringLiteral("noPlaces"),
                          tr("Every place must have its object; each is named when it is missing."),
                          [](Step& s) { s.places.clear(); });
    }
    if (kind.hasPlaces && kind.region("outline")) addPlaceActs(step, kind);
    if (const ParamSpec* layout = kind.param("layout");
        kind.hasPlaces && layout && std::get<std::string>(layout->get(step.params)) == "free") {
        auto* add = new QPushButton(tr("Add a place"), m_body);
        add->setObjectName(QStringLiteral("addPlace"));
        add->setToolTip(tr("A place more beside the last one; drag its square where it belongs"));
        connect(add, &QPushButton::clicked, this, [this] {
            QTimer::singleShot(0, this, [this] {
                emit edited(tr("place"),
                            [](Step& s) {
                                const geometry::Point beside = s.places.empty()
                                                                   ? geometry::Point{40, 40}
                                                                   : s.places.back().at + geometry::Point{30, 0};
                                std::string name;
                                for (std::size_t n = s.places.size() + 1;; ++n) {
                                    name = std::to_string(n);
                                    if (std::none_of(s.places.begin(), s.places.end(),
                                                     [&](const auto& p) { return p.name == name; }))
                                        break;
                                }
                                s.places.push_back({name, beside});
                            },
                            {});
            });
        });
        m_form->addRow(add);
    }
    if (kind.hasKinds) addKinds(step);
}

// Places with outlines of their own: one more, sets of them, and what is known of each.
void ParamForm::addPlaceActs(const Step& step, const StepKind& kind)
{
    auto* line = new QWidget(m_body);
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    const auto button = [&](const char* name, const QString& text, const QString& help, const QString& action) {
        auto* b = new QPushButton(text, line);
        b->setObjectName(QLatin1String(name));
        b->setToolTip(help);
        connect(b, &QPushButton::clicked, this,
                [this, action] { QTimer::singleShot(0, this, [this, action] { emit actWanted(action); }); });
        row->addWidget(b);
    };
    button("addPlace", tr("Add a place"),
           tr("One more like the last one, on along the row; drag its square where it belongs"),
           QStringLiteral("addPlace"));
    button("savePlaces", tr("Save…"), tr("These places as a set in a file, for other recipes"),
           QStringLiteral("savePlaces"));
    button("loadPlaces", tr("Load…"), tr("A set of places out of a file instead of these"),
           QStringLiteral("loadPlaces"));
    m_form->addRow(line);
    if (!kind.bySamples || step.places.empty()) return;
    const auto marked = std::count_if(step.places.begin(), step.places.end(), [](const Place& p) { return p.marked; });
    auto* ends = new QCheckBox(tr("Ends can be told apart"), m_body);
    ends->setObjectName(QStringLiteral("placesMarked"));
    ends->setTristate(marked > 0 && std::size_t(marked) < step.places.size());
    ends->setCheckState(marked == 0                                 ? Qt::Unchecked
                        : std::size_t(marked) == step.places.size() ? Qt::Checked
                                                                    : Qt::PartiallyChecked);
    ends->setToolTip(
        tr("One end of the components differs from the other: those that lie the other way round are named reversed"));
    connect(ends, &QCheckBox::clicked, this, [this](bool on) {
        QTimer::singleShot(0, this, [this, on] {
            emit edited(tr("ends"),
                        [on](Step& s) {
                            for (Place& p : s.places) p.marked = on;
                        },
                        {});
        });
    });
    m_form->addRow(ends);
}

namespace
{
QString boundsText(std::optional<double> low, std::optional<double> high)
{
    Limits l;
    l.low = low, l.high = high;
    return q(l.text());
}
} // namespace

// What objects are called: a name, a band of height and one of size; the first kind that takes an object names it.
void ParamForm::addKinds(const Step& step)
{
    for (std::size_t i = 0; i < step.kinds.size(); ++i) {
        const ObjectKind& k = step.kinds[i];
        auto* line = new QWidget(m_body);
        auto* row = new QHBoxLayout(line);
        row->setContentsMargins(0, 0, 0, 0);
        row->setSpacing(4);
        const auto field = [&](const char* name, const QString& text, const QString& hint, const QString& help,
                               int wide) {
            auto* edit = new QLineEdit(text, line);
            edit->setObjectName(QLatin1String(name) + QString::number(i));
            edit->setPlaceholderText(hint);
            edit->setToolTip(help);
            edit->setAccessibleName(help);
            edit->setMinimumWidth(wide);
            row->addWidget(edit, 1);
            return edit;
        };
        auto* name = field("kindName", q(k.name), tr("name"), tr("What such objects are called"), 60);
        auto* height = field("kindHeight", boundsText(k.low, k.high), tr("any height"),
                             tr("Height over the base, mm: 8 .. 10, >= 8, <= 10"), 56);
        auto* area = field("kindArea", boundsText(k.least, k.most), tr("any size"),
                           tr("Size, px²: 300 .. 900, >= 300, <= 900"), 56);
        connect(name, &QLineEdit::editingFinished, this, [this, name, i, old = k.name] {
            const std::string now = name->text().trimmed().toStdString();
            if (now == old) return;
            if (now.empty()) return emit problem(tr("A kind needs a name"));
            emit edited(tr("kind"),
                        [i, now](Step& s) {
                            if (i < s.kinds.size()) s.kinds[i].name = now;
                        },
                        {});
        });
        const auto bounds = [&](QLineEdit* edit, bool ofHeight) {
            connect(edit, &QLineEdit::editingFinished, this, [this, edit, i, ofHeight, old = edit->text()] {
                if (edit->text() == old) return;
                std::optional<double> low, high;
                if (!edit->text().trimmed().isEmpty()) {
                    const auto limits = parseLimits(edit->text().trimmed().toStdString(), base::Unit::None);
                    if (!limits) return emit problem(q(limits.error().message));
                    low = limits->lowest(), high = limits->highest();
                }
                emit edited(tr("kind"),
                            [i, ofHeight, low, high](Step& s) {
                                if (i >= s.kinds.size()) return;
                                (ofHeight ? s.kinds[i].low : s.kinds[i].least) = low;
                                (ofHeight ? s.kinds[i].high : s.kinds[i].most) = high;
                            },
                            {});
            });
        };
        bounds(height, true), bounds(area, false);
        auto* drop = new QToolButton(line);
        drop->setText(QStringLiteral("×"));
        drop->setObjectName(QStringLiteral("dropKind%1").arg(i));
        drop->setToolTip(tr("No longer tells this kind"));
        connect(drop, &QToolButton::clicked, this, [this, i] {
            QTimer::singleShot(0, this, [this, i] {
                emit edited(tr("remove kind"),
                            [i](Step& s) {
                                if (i < s.kinds.size()) s.kinds.erase(s.kinds.begin() + std::ptrdiff_t(i));
                            },
                            {});
            });
        });
        row->addWidget(drop);
        addRow(i == 0 ? tr("Kinds") : QString(), line,
               tr("Name, height in mm and size in px²: the first kind that takes an object names it."));
    }
    auto* more = new QPushButton(tr("Tell another kind…"), m_body);
    more->setObjectName(QStringLiteral("addKind"));
    more->setToolTip(tr("Objects of a height and size get a name of their own; what no kind takes is counted too"));
    connect(more, &QPushButton::clicked, this, [this] {
        QTimer::singleShot(0, this, [this] {
            emit edited(
                tr("kind"),
                [](Step& s) {
                    std::string name;
                    for (std::size_t n = s.kinds.size() + 1;; ++n) {
                        name = "kind " + std::to_string(n);
                        if (std::none_of(s.kinds.begin(), s.kinds.end(), [&](const auto& k) { return k.name == name; }))
                            break;
                    }
                    s.kinds.push_back({name, {}, {}, {}, {}});
                },
                {});
        });
    });
    m_form->addRow(more);
}

void ParamForm::addFilter(const Filter& f, std::size_t i, const OutputSpec& out)
{
    auto* line = new QWidget(m_body);
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    Limits shown;
    shown.low = f.low, shown.high = f.high;
    auto* edit = new QLineEdit(q(shown.text()), line);
    edit->setObjectName(QStringLiteral("filter_") + q(f.output));
    edit->setAccessibleName(tr("Only objects with %1").arg(q(out.label)));
    edit->setPlaceholderText(tr("10 .. 20, >= 5, <= 8"));
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, i, old = edit->text()] {
        if (edit->text() == old) return;
        const auto limits = parseLimits(edit->text().trimmed().toStdString(), base::Unit::None);
        if (!limits) return emit problem(q(limits.error().message));
        emit edited(tr("filter"),
                    [i, l = *limits](Step& s) { s.filters.at(i).low = l.lowest(), s.filters.at(i).high = l.highest(); },
                    {});
    });
    auto* drop = new QToolButton(line);
    drop->setText(QStringLiteral("×"));
    drop->setObjectName(QStringLiteral("dropFilter_") + q(f.output));
    drop->setToolTip(tr("No longer filter by this value"));
    connect(drop, &QToolButton::clicked, this, [this, i] {
        QTimer::singleShot(0, this, [this, i] {
            emit edited(tr("remove filter"), [i](Step& s) { s.filters.erase(s.filters.begin() + std::ptrdiff_t(i)); },
                        {});
        });
    });
    const base::Unit unit = out.unit;
    row->addWidget(edit, 1);
    row->addWidget(new QLabel(QString::fromUtf8(base::symbol(unit)), line));
    row->addWidget(drop);
    addRow(tr("Only %1").arg(q(out.label).toLower()), line,
           tr("Objects outside are not objects: a filter is not a verdict. In px, so that a calibration changes "
              "nothing that is found."));
}

void ParamForm::addFilterBy(const Step& step, const StepKind& kind)
{
    auto* by = new Calm<QComboBox>(m_body);
    by->setObjectName(QStringLiteral("filterBy"));
    by->addItem(tr("filter by a value…"));
    for (const OutputSpec& o : kind.outputs)
        if (o.list && o.filters &&
            std::none_of(step.filters.begin(), step.filters.end(), [&](const Filter& f) { return f.output == o.key; }))
            by->addItem(q(o.label), q(o.key));
    connect(by, &QComboBox::activated, this, [this, by](int i) {
        if (i <= 0) return;
        QTimer::singleShot(0, this, [this, key = by->currentData().toString().toStdString()] {
            emit edited(tr("filter"), [key](Step& s) { s.filters.push_back({key, {}, {}}); }, {});
        });
    });
    addRow(tr("Filters"), by,
           tr("Only objects whose value lies in a range are objects; then count and each are judged."));
}

void ParamForm::addCheck(const Recipe& recipe, const Step& step, const Check& c, const OutputSpec& outputSpec)
{
    const base::Unit unit = base::shownAs(recipe.unitOf(step, outputSpec), recipe.shownIn);
    auto* line = new QWidget(m_body);
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(4);
    QString shown = q(c.limits.text());
    if (c.limits.any() && c.limits.unit != unit)
        shown += QStringLiteral(" ") + QString::fromUtf8(base::symbol(c.limits.unit));
    auto* edit = new QLineEdit(shown, line);
    edit->setObjectName(QStringLiteral("limits_") + q(c.output));
    edit->setPlaceholderText(tr("no limits"));
    edit->setAccessibleName(tr("Limits of %1").arg(q(outputSpec.label)));
    edit->setToolTip(tr("26 +-0.05 · 26 +0.1 -0.05 · 25.9 .. 26.1 · >= 0.65 · <= 0.2 · 10 · 26 ISO 2768 · 30 ISO "
                        "2768 side 12 (angle). Empty: unjudged."));
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, unit, shown, key = c.output, old = c.limits] {
        if (edit->text() == shown) return; // what is shown may be rounded
        auto limits = parseLimits(edit->text().trimmed().toStdString(), unit);
        if (!limits) return emit problem(q(limits.error().message));
        if (*limits == old) return;
        emit edited(tr("limits"),
                    [key, l = *limits](Step& s) {
                        for (Check& x : s.checks)
                            if (x.output == key) x.limits = l;
                    },
                    {});
    });
    connect(edit, &QLineEdit::returnPressed, this, [this] { QTimer::singleShot(0, this, &ParamForm::entered); });
    auto* suffix = new QLabel(QString::fromUtf8(base::symbol(unit)), line);
    auto* drop = new QToolButton(line);
    drop->setText(QStringLiteral("×"));
    drop->setObjectName(QStringLiteral("drop_") + q(c.output));
    drop->setToolTip(tr("No longer judge this value"));
    connect(drop, &QToolButton::clicked, this, [this, key = c.output] {
        QTimer::singleShot(0, this, [this, key] {
            emit edited(tr("remove check"),
                        [key](Step& s) {
                            s.checks.erase(std::remove_if(s.checks.begin(), s.checks.end(),
                                                          [&](const Check& x) { return x.output == key; }),
                                           s.checks.end());
                        },
                        {});
        });
    });
    auto* more = new QToolButton(line);
    more->setText(QStringLiteral("…"));
    more->setObjectName(QStringLiteral("details_") + q(c.output));
    more->setToolTip(tr("Tolerance, uncertainty, fault text and elements of a list  (Ctrl+L)"));
    connect(more, &QToolButton::clicked, this,
            [this, key = c.output] { QTimer::singleShot(0, this, [this, key] { emit detailsWanted(q(key)); }); });
    for (QToolButton* small : {more, drop}) small->setFixedWidth(26);
    edit->setMinimumWidth(76);
    row->addWidget(edit, 1);
    row->addWidget(suffix);
    row->addWidget(more);
    row->addWidget(drop);
    // A long label would take a line of its own.
    addRow(outputSpec.label.size() > 11 ? q(outputSpec.label) : tr("%1 limits").arg(q(outputSpec.label)), line,
           q(outputSpec.help));
    if (!c.elements.empty()) {
        auto* own = new QLabel(c.match == Match::Place ? tr("elements matched by place: %1").arg(c.elements.size())
                                                       : tr("elements matched in order: %1").arg(c.elements.size()),
                               m_body);
        m_form->addRow(own);
    }
    if (c.limits.any() && !base::convertible(c.limits.unit, unit)) addForeignLimits(recipe, step, c, unit);
}

// Limits in a unit the value does not have: said, and a way out.
void ParamForm::addForeignLimits(const Recipe& recipe, const Step& step, const Check& c, base::Unit unit)
{
    auto* wrong =
        new QLabel(tr("these limits are in %1, the value is in %2: not judged")
                       .arg(QString::fromUtf8(base::symbol(c.limits.unit)), QString::fromUtf8(base::symbol(unit))),
                   m_body);
    wrong->setWordWrap(true);
    wrong->setObjectName(QStringLiteral("foreign_") + q(c.output));
    m_form->addRow(wrong);
    auto* convert = new QPushButton(
        tr("Convert to %1")
            .arg(QString::fromUtf8(base::symbol(recipe.unitOf(step, *findKind(step.kind)->output(c.output))))),
        m_body);
    convert->setObjectName(QStringLiteral("convert_") + q(c.output));
    convert->setEnabled(!(recipe::convertedCheck(recipe, step, c) == c));
    if (!convert->isEnabled()) convert->setToolTip(tr("There is no way between these units without a calibration"));
    connect(convert, &QPushButton::clicked, this, [this, made = recipe::convertedCheck(recipe, step, c)] {
        QTimer::singleShot(0, this, [this, made] {
            emit edited(tr("convert limits"),
                        [made](Step& s) {
                            for (Check& x : s.checks)
                                if (x.output == made.output) x = made;
                        },
                        {});
        });
    });
    m_form->addRow(convert);
    if (recipe::foreignLimits(recipe).size() > 1) {
        auto* all = new QPushButton(tr("Convert all %1").arg(recipe::foreignLimits(recipe).size()), m_body);
        all->setObjectName(QStringLiteral("convertAll"));
        connect(all, &QPushButton::clicked, this,
                [this] { QTimer::singleShot(0, this, [this] { emit convertWanted(); }); });
        m_form->addRow(all);
    }
}

void ParamForm::addJudgeAlso(const Recipe& recipe, const Step& step, const StepKind& kind)
{
    auto* judge = new Calm<QComboBox>(m_body);
    judge->setObjectName(QStringLiteral("judgeAlso"));
    judge->addItem(tr("judge another value…"));
    for (const OutputSpec& o : kind.outputs)
        if (std::none_of(step.checks.begin(), step.checks.end(), [&](const Check& c) { return c.output == o.key; }))
            judge->addItem(q(o.label), q(o.key));
    if (judge->count() == 1) return delete judge;
    const int balloon = recipe.freshBalloon();
    connect(judge, &QComboBox::activated, this, [this, judge, &kind, recipe, step, balloon](int i) {
        if (i <= 0) return;
        const OutputSpec* o = kind.output(judge->currentData().toString().toStdString());
        Check c;
        c.output = o->key, c.balloon = kind.datum ? 0 : balloon, c.limits.unit = recipe.unitOf(step, *o);
        QTimer::singleShot(0, this, [this, c, label = o->label] {
            emit edited(tr("judge"),
                        [c, label](Step& s) {
                            s.checks.push_back(c);
                            s.checks.back().name = s.checks.size() == 1 ? s.name : s.name + " " + label;
                        },
                        {});
        });
    });
    addRow(tr("Checks"), judge, tr("A value with limits is a check; without limits it is visibly unjudged."));
}

} // namespace desktop
