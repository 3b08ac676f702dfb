#include "desktop/setup/setup_page.h"

#include "desktop/keys.h"
#include "desktop/objects_view.h"
#include "desktop/param_form.h"
#include "desktop/samples_dialog.h"
#include "desktop/setup/step_acts.h"
#include "desktop/symbols.h"
#include "desktop/words.h"
#include "inspect/labels.h"
#include "report/step_symbols.h"

#include <QAbstractSpinBox>
#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDateTime>
#include <QFileDialog>
#include <QFileInfo>
#include <QInputDialog>
#include <QKeyEvent>
#include <QLineEdit>
#include <QMenu>
#include <QPainter>
#include <QScrollBar>
#include <QTimer>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>

namespace desktop
{
using namespace recipe;
using inspect::Verdict;

SetupPage::SetupPage(Session& session, QWidget* parent) : QWidget(parent), m_session(session), m_source(session)
{
    setObjectName(QStringLiteral("setupPage"));
    m_acts = new StepActs(session, this);
    m_sheet = new SheetView(session, this);
    m_faults = new FaultList(m_sheet);
    m_sheet->installEventFilter(this);
    m_evidence = new EvidenceView(session, this);
    m_source.rebuild();
    m_grid = new GridView(m_source, this);
    m_strip = new QWidget(this);
    m_strip->setObjectName(QStringLiteral("strip"));
    makeStrip();

    m_upper = new QSplitter(Qt::Horizontal, this);
    m_upper->setObjectName(QStringLiteral("upperSplitter"));
    m_upper->addWidget(m_sheet);
    m_upper->addWidget(m_evidence);
    m_upper->setStretchFactor(0, 3), m_upper->setStretchFactor(1, 1);
    m_upper->setSizes({824, 384});
    m_upper->setChildrenCollapsible(false);
    auto* top = new QWidget(this);
    auto* row = new QHBoxLayout(top);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(0);
    row->addWidget(m_strip);
    row->addWidget(m_upper, 1);
    m_whole = new QSplitter(Qt::Vertical, this);
    m_whole->setObjectName(QStringLiteral("wholeSplitter"));
    m_whole->addWidget(top);
    m_lower = new QWidget(this);
    auto* lower = new QHBoxLayout(m_lower);
    lower->setContentsMargins(0, 0, 0, 0);
    lower->setSpacing(0);
    m_side = new QWidget(m_lower);
    m_side->setObjectName(QStringLiteral("side"));
    auto* side = new QVBoxLayout(m_side);
    side->setContentsMargins(0, 4, 0, 0);
    lower->addWidget(m_grid, 1);
    lower->addWidget(m_side);
    m_side->hide();
    m_whole->addWidget(m_lower);
    m_whole->setStretchFactor(0, 3), m_whole->setStretchFactor(1, 2);
    m_whole->setSizes({440, 320});
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_whole);
    m_right = new QSplitter(Qt::Vertical, this);
    m_right->setObjectName(QStringLiteral("rightSplitter"));
    m_right->setChildrenCollapsible(false);
    m_rightTop = new QWidget(m_right);
    auto* rightTop = new QHBoxLayout(m_rightTop);
    rightTop->setContentsMargins(0, 0, 0, 0);
    rightTop->setSpacing(0);
    m_right->hide();
    connect(m_right, &QSplitter::splitterMoved, this, [this] { m_heightsChosen = true; });
    setTabOrder(m_sheet, m_grid);
    for (const auto signal : {&Session::trialChanged, &Session::resultsChanged, &Session::recipeChanged})
        connect(&session, signal, this, &SetupPage::refreshFaults);
    connect(m_faults, &FaultList::led, this,
            [this](const inspect::Fault& f) { m_session.select(f.step, f.output, f.element); });
    connect(m_faults, &FaultList::decided, this, &SetupPage::decideFault);
    connect(m_faults, &FaultList::closed, this, [this] {
        m_faults->hide();
        m_sheet->setFocus();
    });

    connect(&session, &Session::recipeChanged, this, [this] { setTall(wantsTall()); });
    connect(&session, &Session::recipeChanged, this, &SetupPage::refreshGrid);
    connect(&session, &Session::resultsChanged, this, &SetupPage::refreshGrid);
    connect(&session, &Session::trialChanged, this, &SetupPage::refreshGrid);
    connect(&session, &Session::selectionChanged, this, &SetupPage::refreshGrid);
    connect(&session, &Session::draftChanged, this, &SetupPage::refreshGrid);
    connect(m_grid, &GridView::chosen, this, [this](int r, int c) {
        if (r >= 0) {
            const GridRow row_ = m_source.row(r);
            if (row_.kind != RowKind::FeaturesLine && row_.kind != RowKind::FixedHead && row_.kind != RowKind::Draft) {
                if (m_session.nameIntoFormula(row_.step, row_.output)) return;
                m_session.dropDraft();
                m_session.select(row_.step, row_.output, row_.kind == RowKind::Element ? row_.element : -1);
            }
        }
        if (c >= 0) {
            const auto place = m_source.place(c);
            m_session.setTrial(place.trial);
            if (place.item >= 0 && !place.lost && place.item != m_session.item()) m_session.setItem(place.item);
        }
        m_grid->setFocus();
    });
    connect(m_grid, &GridView::labelClicked, this, [this](int column, bool bad) {
        const int c = m_source.place(column).trial;
        m_session.setTrial(c);
        if (const int item = m_source.place(column).item; item >= 0) m_session.setItem(item);
        const Label now = m_source.labelOf(column);
        label(bad ? Label::Bad : now == Label::Open ? Label::Good : now == Label::Good ? Label::Bad : Label::Open);
    });
    connect(m_grid, &GridView::foldToggled, this, [this](int r) {
        m_source.toggleFold(r);
        refreshGrid();
    });
    connect(m_grid, &GridView::renameWanted, this, [this](int r) {
        m_session.select(m_source.row(r).step);
        renameSelected();
    });
    connect(m_grid, &GridView::limitsWanted, this, [this](int r) {
        m_session.select(m_source.row(r).step, m_source.row(r).output);
        if (auto* edit = m_evidence->form()->findChild<QLineEdit*>(QStringLiteral("limits_") +
                                                                   QString::fromStdString(m_source.row(r).output)))
            edit->setFocus(), edit->selectAll();
    });
    connect(m_sheet, &SheetView::referenceWanted, this, [this] {
        emit m_session.said(tr("Take a picture of a good part as reference first (Ctrl+R); steps are drawn on it"));
    });
    // While the table is shown, a click on the sheet chooses in it and draws nothing.
    m_sheet->setClickTaker([this](geometry::Point at) {
        return m_evidence->showsObjects() && m_evidence->objects()->isVisible() && m_evidence->objects()->chooseAt(at);
    });
    connect(m_evidence->objects(), &ObjectsView::explained, m_sheet, &SheetView::sayAtPointer);
    connect(m_evidence->objects(), &ObjectsView::explained, &session, &Session::said);
    connect(m_upper, &QSplitter::splitterMoved, this, [this] {
        m_widthsChosen = true;
        arrange();
    });
    connect(m_whole, &QSplitter::splitterMoved, this, [this] { m_heightsChosen = true; });
    connect(m_sheet, &SheetView::armedUsed, this, [this] {
        for (QToolButton* b : m_questions) b->setChecked(false);
    });
    // The field of a formula has the keyboard again after a name was clicked into it.
    connect(&session, &Session::namedIntoFormula, this, [this] {
        QTimer::singleShot(0, this, [this] {
            if (auto* field = m_evidence->form()->findChild<QLineEdit*>(QStringLiteral("expression")))
                field->setFocus(Qt::OtherFocusReason), field->end(false);
        });
    });
    connect(m_evidence, &EvidenceView::deleteWanted, this, [this] { m_acts->remove(); });
    connect(m_evidence->form(), &ParamForm::entered, this, [this] { m_sheet->setFocus(); });
    m_sheet->setDropTaker([this](const std::string& step, QPoint global) { return linkDropped(step, global); });
    m_grid->setCrops(true);
    connect(m_grid, &GridView::needsChanged, this, &SetupPage::arrange, Qt::QueuedConnection);
    connect(&m_source.crops(), &TrialCrops::came, m_grid, &GridView::cropsCame);
    makeActions();
    qApp->installEventFilter(this);
}

// A mark carried into a field that says what the chosen step reads.
bool SetupPage::linkDropped(const std::string& step, QPoint global)
{
    for (auto* box : m_evidence->form()->findChildren<QComboBox*>()) {
        if (!box->isVisible() || !box->objectName().startsWith(QStringLiteral("input_")) ||
            !QRect(box->mapToGlobal(QPoint()), box->size()).contains(global))
            continue;
        const int at = box->findData(QString::fromStdString(step));
        if (at >= 0) {
            box->setCurrentIndex(at);
            return true;
        }
        const Step* given = m_session.recipe().find(step);
        emit m_session.said(tr("%1 does not fit here").arg(given ? QString::fromStdString(given->name) : tr("This")));
        return true;
    }
    return false;
}

// While text is being typed, plain keys belong to the field and not to the page.
bool SetupPage::eventFilter(QObject* object, QEvent* e)
{
    if (object == m_sheet && e->type() == QEvent::Resize) refreshFaults();
    if (e->type() == QEvent::KeyPress && (object == m_sheet || object == m_grid)) {
        const auto* key = static_cast<QKeyEvent*>(e);
        if (!(key->modifiers() & (Qt::ControlModifier | Qt::AltModifier)) && beginLimits(key->text())) return true;
    }
    if (m_held && (e->type() == QEvent::KeyRelease || e->type() == QEvent::WindowDeactivate)) {
        const bool released = e->type() == QEvent::KeyRelease && !static_cast<QKeyEvent*>(e)->isAutoRepeat() &&
                              m_held->shortcut() == QKeySequence(static_cast<QKeyEvent*>(e)->key());
        const bool lost = e->type() == QEvent::WindowDeactivate && object == window();
        if (released || lost) {
            QAction* held = std::exchange(m_held, nullptr);
            if (m_heldSince.elapsed() > 350) held->toggle();
        }
    }
    if (e->type() == QEvent::ShortcutOverride) {
        const auto* key = static_cast<QKeyEvent*>(e);
        const QWidget* w = QApplication::focusWidget();
        // An open list has its keys for itself.
        if (QApplication::activePopupWidget() && !(key->modifiers() & (Qt::ControlModifier | Qt::AltModifier))) {
            e->accept();
            return true;
        }
        const bool typing = qobject_cast<const QLineEdit*>(w) || qobject_cast<const QAbstractSpinBox*>(w) ||
                            (qobject_cast<const QComboBox*>(w) && key->key() != Qt::Key_Escape);
        if (typing && !(key->modifiers() & (Qt::ControlModifier | Qt::AltModifier)) &&
            (key->key() < Qt::Key_F1 || key->key() > Qt::Key_F35)) {
            e->accept();
            return true;
        }
    }
    return QWidget::eventFilter(object, e);
}

void SetupPage::resizeEvent(QResizeEvent* e)
{
    QWidget::resizeEvent(e);
    arrange();
}

void SetupPage::editSetting(const std::string& key)
{
    m_evidence->showObjects(false);
    // Once the form is that of the step, and whatever asked for it has gone.
    QTimer::singleShot(0, this, [this, key] { m_evidence->form()->showSetting(key); });
}

// The chosen step when it looks there, else one that finds objects there, else edges or parts.
std::string SetupPage::stepLookingAt(geometry::Point at) const
{
    const Step* chosen = m_session.selectedStep();
    if (m_session.draft() && chosen) return chosen->id;
    const Recipe& recipe = m_session.prepared()->recipe();
    const auto* item = m_session.currentItem();
    std::string best;
    int least = 100;
    for (const Step& s : recipe.steps) {
        const StepKind* k = findKind(s.kind);
        if (!k || !k->tell || !s.inUse) continue;
        bool placed = true, looks = k->regions.empty();
        const auto regions = inspect::Placing(recipe, item).regions(s, placed);
        for (const RegionSpec& spec : k->regions) {
            if (spec.teaching) continue;
            const auto region = regions.find(spec.key);
            looks = looks || (placed && (region == regions.end() ? !spec.needed : region->second.contains(at)));
        }
        const bool same = chosen && s.id == chosen->id;
        const int rank = looks ? (same            ? 0
                                  : k->hasFilters ? 1
                                  : k->datum      ? 4
                                                  : 2)
                               : (same && k->hasFilters ? 3
                                  : same                ? 10
                                  : k->hasFilters       ? 11
                                                        : 12);
        if (rank < least) least = rank, best = s.id;
    }
    return best;
}

void SetupPage::howCome()
{
    const auto at = m_sheet->pointedPlace();
    if (!at) return emit m_session.said(tr("Put the pointer on something in the picture and press H"));
    const std::string step = stepLookingAt(*at);
    if (step.empty()) return emit m_session.said(tr("No step of this recipe finds objects, edges or parts"));
    if (!m_session.draft() && step != m_session.selected()) m_session.select(step);
    m_evidence->showObjects(true);
    m_evidence->objects()->howCome(*at);
}

// A figure or a sign typed over the sheet or the grid begins the limits of the chosen check.
bool SetupPage::beginLimits(const QString& text)
{
    if (text.size() != 1 || !QStringLiteral("0123456789<>±").contains(text)) return false;
    const Step* s = m_session.selectedStep();
    const Check* c = m_session.selectedCheck();
    if (!s || !c) return false;
    auto* field =
        m_evidence->form()->findChild<QLineEdit*>(QStringLiteral("limits_") + QString::fromStdString(c->output));
    if (!field) return false;
    m_evidence->showObjects(false);
    field->setFocus(Qt::ShortcutFocusReason);
    field->setText(text);
    return true;
}

// A formula of its own; what is clicked while its field has the keyboard puts its name in.
void SetupPage::startFormula()
{
    if (m_session.recipe().steps.empty())
        return emit m_session.said(tr("A formula needs steps whose values it can name"));
    makeInView(*findKind("formula"));
    editSetting("expression");
}

void SetupPage::refreshGrid()
{
    m_source.rebuild();
    m_grid->refresh();
    arrange();
    const std::string id = m_session.draft() ? m_session.draft()->offer().step.id : m_session.selected();
    const Check* check = m_session.selectedCheck();
    m_grid->setCurrent(m_source.rowOf(id, check ? check->output : std::string(), m_session.selectedElement()),
                       m_session.showsReference() ? -1 : m_source.columnOf(m_session.trial(), m_session.item()));
}

void SetupPage::makeStrip()
{
    auto* layout = new QVBoxLayout(m_strip);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    m_strip->setFixedWidth(72);
    for (int i = 0; i < 7; ++i) {
        const auto question = Question(i);
        std::vector<const StepKind*> kinds;
        for (const StepKind& k : allStepKinds())
            if (k.question == question) kinds.push_back(&k);
        if (kinds.empty()) continue; // what is missing is not shown
        auto* b = new QToolButton(m_strip);
        b->setObjectName(QStringLiteral("question%1").arg(i));
        b->setText(QString::fromLatin1(questionWord(question)));
        b->setToolButtonStyle(Qt::ToolButtonTextUnderIcon);
        b->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
        b->setMinimumHeight(60);
        b->setMaximumHeight(76);
        b->setCheckable(true);
        b->setPopupMode(QToolButton::InstantPopup);
        b->setProperty("question", i);
        b->setIconSize({24, 24});
        QStringList names;
        auto* menu = new QMenu(b);
        menu->setToolTipsVisible(true);
        for (const StepKind* k : kinds) {
            const QStringList purpose = QString::fromStdString(k->purpose).split(QLatin1Char(' '));
            QAction* a = menu->addAction(kindIcon(*k), QString::fromStdString(k->label) + QLatin1Char('\t') +
                                                           purpose.mid(0, 4).join(QStringLiteral(", ")));
            a->setObjectName(QStringLiteral("kind_") + QString::fromStdString(k->key));
            a->setToolTip(QString::fromStdString(k->help) + QStringLiteral("\n") +
                          tr("For: %1").arg(QString::fromStdString(k->purpose)) + QStringLiteral("\n") +
                          tr("How: %1").arg(QString::fromStdString(k->gesture)));
            connect(a, &QAction::triggered, this, [this, key = k->key, b] {
                // The same one once more, or with Shift: it stays for many strokes.
                const bool stays =
                    m_sheet->armedKind() == key || QApplication::keyboardModifiers().testFlag(Qt::ShiftModifier);
                arm(key);
                if (stays && !m_sheet->armedKind().empty()) {
                    m_sheet->setArmedStays(true);
                    emit m_session.said(tr("%1 stays for the strokes to come; Esc lets go")
                                            .arg(QString::fromStdString(findKind(key)->label)));
                }
                b->setChecked(!m_sheet->armedKind().empty());
            });
            names << QString::fromStdString(k->label);
        }
        b->setMenu(menu);
        b->setToolTip(tr("%1: %2\nThe next stroke on the part makes that kind.")
                          .arg(QString::fromLatin1(questionWord(question)), names.join(QStringLiteral(", "))));
        layout->addWidget(b, 1);
        m_questions.push_back(b);
    }
    layout->addStretch(0);
    m_swap = new QToolButton(m_strip);
    m_swap->setObjectName(QStringLiteral("arrangementButton"));
    m_swap->setToolTip(tr("Sheet above the grid, or beside it  (Shift+F4)"));
    m_swap->setAccessibleName(tr("Other arrangement"));
    m_swap->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    m_swap->setFixedHeight(26);
    m_swap->setIconSize({24, 16});
    connect(m_swap, &QToolButton::clicked, this, [this] { action(QStringLiteral("otherArrangement"))->trigger(); });
    layout->addWidget(m_swap);
    refreshTheme();
}

void SetupPage::refreshTheme()
{
    for (QToolButton* b : m_questions) {
        QPixmap pixmap(48, 48);
        pixmap.setDevicePixelRatio(2);
        pixmap.fill(Qt::transparent);
        QPainter p(&pixmap);
        report::drawQuestionSymbol(p, Question(b->property("question").toInt()), QRectF(2, 2, 20, 20),
                                   report::theme().ink);
        p.end();
        b->setIcon(QIcon(pixmap));
        for (QAction* a : b->menu()->actions())
            if (const StepKind* k = findKind(a->objectName().mid(5).toStdString())) a->setIcon(kindIcon(*k));
    }
    // What the button leads to: the sheet beside the rest, or above it.
    QPixmap pixmap(48, 32);
    pixmap.setDevicePixelRatio(2);
    pixmap.fill(Qt::transparent);
    QPainter p(&pixmap);
    p.setPen(QPen(report::theme().ink, 1.2));
    p.drawRect(QRectF(2, 1, 20, 14));
    p.fillRect(m_isTall ? QRectF(2, 1, 13, 8) : QRectF(2, 1, 7, 14), report::theme().second);
    p.drawLine(m_isTall ? QLineF(2, 9, 22, 9) : QLineF(9, 1, 9, 15));
    p.drawLine(m_isTall ? QLineF(15, 1, 15, 9) : QLineF(9, 8, 22, 8));
    p.end();
    m_swap->setIcon(QIcon(pixmap));
    m_evidence->refresh();
}

void SetupPage::arm(const std::string& kind)
{
    const StepKind* k = findKind(kind);
    if (!k) return;
    m_sheet->setFocus();
    if (!k->offer) { // nothing on the part makes it: it stands in the form at once
        makeInView(*k);
        for (QToolButton* b : m_questions) b->setChecked(false);
        if (kind == "formula") editSetting("expression");
        return;
    }
    m_sheet->setArmedKind(kind);
    emit m_session.said(QString::fromStdString(k->label + ": " + k->gesture));
}

void SetupPage::showKinds()
{
    // By keys alone: a region is placed at the middle of the view, or the step reads the features that are there.
    QStringList names;
    std::vector<const StepKind*> kinds;
    for (const StepKind& k : allStepKinds()) {
        names << QString::fromLatin1(questionWord(k.question)) + QStringLiteral(" · ") +
                     QString::fromStdString(k.label);
        kinds.push_back(&k);
    }
    QInputDialog dialog(this);
    dialog.setObjectName(QStringLiteral("kindsDialog"));
    dialog.setWindowTitle(tr("Kinds of steps"));
    dialog.setLabelText(tr("Make a step in the middle of the view:"));
    dialog.setComboBoxItems(names);
    dialog.setOption(QInputDialog::UseListViewForComboBoxItems);
    if (dialog.exec() != QDialog::Accepted) return;
    const int at = int(names.indexOf(dialog.textValue()));
    if (at < 0) return;
    makeInView(*kinds[std::size_t(at)]);
}

// Gives each needed input something that fits, so that the step works on the picture in view if any choice does.
void SetupPage::fillInputs(Offer& o, const StepKind& k, const std::vector<const Step*>& givers) const
{
    std::vector<const InputSpec*> inputs;
    std::vector<std::vector<std::string>> choices;
    for (const InputSpec& in : k.inputs) {
        if (!in.needed) continue;
        std::vector<std::string> ids;
        for (const Step* s : givers)
            if (const StepKind* from = findKind(s->kind);
                from->hasFeature && std::find(in.accepts.begin(), in.accepts.end(), from->feature) != in.accepts.end())
                ids.push_back(s->id);
        if (ids.empty()) continue;
        inputs.push_back(&in);
        choices.push_back(std::move(ids));
    }
    std::optional<std::map<std::string, std::string>> first;
    std::vector<std::size_t> at(inputs.size(), 0);
    for (int tries = 0; tries < 40 && !inputs.empty();) {
        std::set<std::string> used;
        for (std::size_t i = 0; i < inputs.size(); ++i) {
            o.step.inputs[inputs[i]->key] = choices[i][at[i]];
            used.insert(choices[i][at[i]]);
        }
        if (used.size() == inputs.size()) { // no step is read twice
            if (!first) first = o.step.inputs;
            inspect::ItemResult item;
            m_session.probe(o, &item);
            if (const auto* r = item.step(o.step.id); r && r->state == inspect::State::Ok) return;
            ++tries;
        }
        std::size_t i = inputs.size();
        while (i > 0 && ++at[i - 1] == choices[i - 1].size()) at[--i] = 0;
        if (i == 0) break;
    }
    if (first) o.step.inputs = *first;
}

void SetupPage::makeInView(const StepKind& k)
{
    if (m_session.recipe().reference.empty()) {
        emit m_session.said(tr("Take a picture of a good part as reference first (Ctrl+R)"));
        return;
    }
    const std::string datum =
        m_session.datumForNewSteps(m_sheet->pictureOf(QPointF(m_sheet->width() / 2.0, m_sheet->height() / 2.0)));
    if ((datum.empty() || k.datum) && !m_session.viewIsReference()) m_session.setShowReference(true);
    m_session.awaitView();
    Offer o;
    o.step = makeStep(m_session.recipe(), k);
    o.words = k.label;
    const geometry::Point c = m_sheet->pictureOf(QPointF(m_sheet->width() / 2.0, m_sheet->height() / 2.0));
    const double size = 120 / m_sheet->zoom();
    std::optional<inspect::Placed> motion;
    if (!datum.empty() && !k.datum) {
        o.step.datum = datum;
        motion = inspect::Placing(m_session.prepared()->recipe(), m_session.currentItem()).following(datum);
    }
    for (const RegionSpec& r : k.regions) {
        if (!r.needed && &r != &k.regions.front()) continue;
        geometry::Region region;
        switch (r.shapes.front()) {
        case geometry::Shape::Window:
            region = geometry::Region::window(c - geometry::Point{size, 0}, c + geometry::Point{size, 0},
                                              std::max(5.0, size / 8));
            break;
        case geometry::Shape::Rectangle: region = geometry::Region::rectangle(c, 2 * size, size); break;
        case geometry::Shape::Circle: region = geometry::Region::circle(c, size); break;
        case geometry::Shape::Ring: region = geometry::Region::ring(c, size / 2, size); break;
        default: break;
        }
        o.step.regions[r.key] = motion ? motion->toReference(region) : region;
    }
    // A datum is made of what is drawn, not of another datum's origin; that comes only when nothing else fits. What is
    // chosen goes first.
    std::vector<const Step*> givers;
    for (const bool datums : {false, true})
        for (const Step& s : m_session.recipe().steps)
            if (const StepKind* from = findKind(s.kind); from && from->datum == datums && !(k.datum && datums))
                givers.push_back(&s);
    std::stable_partition(givers.begin(), givers.end(), [&](const Step* s) { return s->id == m_session.selected(); });
    fillInputs(o, k, givers);
    m_session.setDraft({o});
    m_sheet->setFocus();
}

void SetupPage::renameSelected()
{
    if (auto* name = m_evidence->form()->findChild<QLineEdit*>(QStringLiteral("stepName")))
        name->setFocus(), name->selectAll();
}

// With items unfolded the part that is chosen, else the whole picture.
void SetupPage::label(Label l)
{
    const int t = m_session.trial();
    if (t < 0) return;
    const int column = m_source.columnOf(t, m_session.item());
    const auto* r = m_session.result(t);
    if (const int item = column >= 0 ? m_source.place(column).item : -1; item >= 0 && r) {
        Trial trial = m_session.recipe().trials[std::size_t(t)];
        if (auto ok = inspect::labelItem(m_session.recipe(), trial, *r, item, l); !ok)
            return emit m_session.said(QString::fromStdString(ok.error().message));
        m_session.change(tr("label part %1 of trial %2 %3").arg(item + 1).arg(t + 1).arg(QString::fromLatin1(name(l))),
                         [&](Recipe& to) { to.trials[std::size_t(t)] = trial; });
        return;
    }
    m_session.change(tr("label trial %1 %2").arg(t + 1).arg(QString::fromLatin1(name(l))), [&](Recipe& to) {
        to.trials[std::size_t(t)].label = l;
        to.trials[std::size_t(t)].items.clear(); // said of the whole picture
    });
}

// By key the next one without a label follows; who labels anew stays to see what it does.
// The list opens with the first step through it and stays until it is closed.
void SetupPage::walkFaults(int by)
{
    const bool opened = !m_faults->isHidden();
    m_faults->setVisible(true);
    refreshFaults();
    if (m_faults->faults().empty()) {
        m_faults->hide();
        return emit m_session.said(tr("Nothing is wrong with this item"));
    }
    if (opened) m_faults->walk(by);
    else m_faults->walk(0);
}

void SetupPage::refreshFaults()
{
    // Of another recipe nothing has been decided here.
    if (m_session.path() != m_decidedOf) m_decided.clear(), m_decidedOf = m_session.path();
    if (m_faults->isHidden()) return;
    const auto* item = m_session.currentItem();
    const int t = m_session.trial();
    const QString of = m_session.showsReference() || t < 0 ? tr("the reference") : tr("trial %1").arg(t + 1);
    const std::string key = m_session.pictureName().toStdString() + "#" + std::to_string(m_session.item());
    m_faults->show(of, item ? inspect::faultsOf(*item) : std::vector<inspect::Fault>(), m_decided[key]);
    const int rows = std::clamp(int(m_faults->faults().size()), 1, 5);
    const int wide = std::clamp(m_sheet->width() - 40, 200, 470);
    m_faults->setGeometry(8, m_sheet->height() - 8 - (36 + 26 * rows), wide, 36 + 26 * rows);
    m_faults->raise();
}

// What a person says of a fault becomes the trial's label: bad with one that is confirmed, good when all are overruled.
void SetupPage::decideFault(const inspect::Fault& fault, bool confirmed)
{
    FaultDecision d;
    d.confirmed = confirmed;
    d.at = QDateTime::currentDateTimeUtc().toString(Qt::ISODateWithMs);
    if (!confirmed) {
        bool said = false;
        d.why =
            QInputDialog::getText(this, tr("Overrule"),
                                  tr("Why is %1 %2 no fault?")
                                      .arg(QString::fromStdString(fault.number), QString::fromStdString(fault.name)),
                                  QLineEdit::Normal, {}, &said)
                .trimmed();
        if (!said) return;
        if (d.why.isEmpty()) return emit m_session.said(tr("A reason is needed"));
    }
    const std::string key = m_session.pictureName().toStdString() + "#" + std::to_string(m_session.item());
    auto& all = m_decided[key];
    all[fault.said()] = d;
    const auto& faults = m_faults->faults();
    const bool every = std::all_of(faults.begin(), faults.end(), [&](const inspect::Fault& f) {
        const auto it = all.find(f.said());
        return it != all.end() && !it->second.confirmed;
    });
    if (m_session.trial() >= 0 && !m_session.showsReference()) {
        if (confirmed) label(Label::Bad);
        else if (every) label(Label::Good);
    }
    refreshFaults();
    m_faults->walk(1);
}

void SetupPage::labelAndGoOn(Label l)
{
    const int t = m_session.trial();
    if (t < 0) return;
    const auto& trials = m_session.recipe().trials;
    const int column = m_source.columnOf(t, m_session.item());
    const bool part = column >= 0 && m_source.place(column).item >= 0;
    const bool open = column >= 0 && m_source.labelOf(column) == Label::Open;
    label(l);
    if (open && part) { // the next part without a label
        for (int c = column + 1; c < m_source.columns(); ++c)
            if (const auto at = m_source.place(c); !at.lost && m_source.labelOf(c) == Label::Open) {
                m_session.setTrial(at.trial);
                if (at.item >= 0) m_session.setItem(at.item);
                return;
            }
        return;
    }
    for (int i = 1; open && i < int(trials.size()); ++i)
        if (const int next = (t + i) % int(trials.size()); trials[std::size_t(next)].label == Label::Open)
            return m_session.setTrial(next);
}

void SetupPage::labelRestGood()
{
    const auto& trials = m_session.recipe().trials;
    const auto open = std::count_if(trials.begin(), trials.end(),
                                    [](const Trial& t) { return t.label == Label::Open && t.items.empty(); });
    if (open == 0) return emit m_session.said(tr("Every trial has a label"));
    m_session.change(tr("label %1 good").arg(counted(open, tr("trial"), tr("trials"))), [](Recipe& r) {
        for (Trial& t : r.trials)
            if (t.label == Label::Open && t.items.empty()) t.label = Label::Good;
    });
    emit m_session.said(tr("%1 labelled good").arg(counted(open, tr("trial"), tr("trials"))));
}

void SetupPage::nextTrialWhere(const std::function<bool(int)>& wanted, const QString& none)
{
    for (int i = 1; i <= m_session.trialCount(); ++i) {
        const int t = (m_session.trial() + i) % m_session.trialCount();
        if (wanted(t)) return m_session.setTrial(t);
    }
    emit m_session.said(none);
}

QAction* SetupPage::action(const QString& id) const { return findChild<QAction*>(id); }

void SetupPage::makeActions()
{
    const auto add = [this](const char* id, auto call) {
        QAction* a = makeAction(QString::fromLatin1(id), this);
        a->setShortcutContext(Qt::WidgetWithChildrenShortcut);
        addAction(a);
        connect(a, &QAction::triggered, this, call);
        return a;
    };
    const auto toggle = [&](const char* id, auto call) {
        QAction* a = makeAction(QString::fromLatin1(id), this);
        a->setShortcutContext(Qt::WidgetWithChildrenShortcut);
        a->setCheckable(true);
        a->setAutoRepeat(false);
        addAction(a);
        connect(a, &QAction::toggled, this, call);
        // Held, it ends when the key is let go; tapped, it stays.
        connect(a, &QAction::triggered, this, [this, a] { m_held = a, m_heldSince.start(); });
        return a;
    };
    add("takeReference", [this] {
        if (auto ok = m_session.takeReference(); !ok) emit m_session.said(QString::fromStdString(ok.error().text()));
    });
    add("deleteStep", [this] { m_acts->remove(); });
    add("deleteReaders", [this] { m_acts->removeWithReaders(); });
    add("copyStep", [this] { m_acts->copy(); });
    add("cutStep", [this] { m_acts->cut(); });
    add("pasteStep", [this] { m_acts->paste(); });
    add("repeatStep", [this] { m_acts->repeat(); });
    add("moveUp", [this] { m_acts->move(-1); });
    add("moveDown", [this] { m_acts->move(1); });
    add("formula", [this] { startFormula(); });
    add("rename", [this] { renameSelected(); });
    add("useStep", [this] {
        const std::string id = m_session.selected();
        if (!id.empty()) m_session.change(tr("in use"), [&](Recipe& r) { r.find(id)->inUse = !r.find(id)->inUse; });
    });
    add("removeTrial", [this] {
        const int t = m_session.trial();
        if (t < 0) return;
        m_session.change(tr("remove trial %1").arg(t + 1), [&](Recipe& r) { r.trials.erase(r.trials.begin() + t); });
        m_session.setShowReference(false);
        m_session.setTrial(std::min(t, m_session.trialCount() - 1));
    });
    add("setAside", [this] {
        const int t = m_session.trial();
        if (t >= 0) m_session.setAside({m_session.recipe().trials[std::size_t(t)].picture});
    });
    add("labelGood", [this] { labelAndGoOn(Label::Good); });
    add("labelRestGood", [this] { labelRestGood(); });
    add("labelBad", [this] { labelAndGoOn(Label::Bad); });
    add("labelOpen", [this] { label(Label::Open); });
    add("nextTrial", [this] { m_session.setTrial(m_session.trial() + 1); });
    add("previousTrial", [this] { m_session.setTrial(m_session.trial() - 1); });
    add("nextFailed", [this] {
        nextTrialWhere([this](int t) { return m_session.result(t) && m_session.result(t)->rejected(); },
                       tr("No trial is rejected"));
    });
    add("nextDisagreeing", [this] {
        nextTrialWhere([this](int t) { return m_session.agreement(t) == Session::Agreement::Disagrees; },
                       tr("Every verdict agrees with its label"));
    });
    QAction* reference = toggle("showReference", [this](bool on) { m_session.setShowReference(on); });
    connect(&m_session, &Session::trialChanged, reference, [this, reference] {
        const QSignalBlocker quiet(reference);
        reference->setChecked(m_session.showsReference());
    });
    toggle("bare", [this](bool on) { m_sheet->setBare(on); });
    toggle("taken", [this](bool on) { m_sheet->setTaken(on); });
    toggle("difference", [this](bool on) { m_sheet->setDifference(on); });
    toggle("steady", [this](bool on) { m_sheet->setSteady(on); });
    add("quarterTurn", [this] { m_sheet->quarterTurn(); });
    toggle("allMarks", [this](bool on) { m_sheet->setAll(on); });
    toggle("uncertainty", [this](bool on) { m_source.setUncertainty(on), m_sheet->setUncertainty(on), refreshGrid(); });
    toggle("onlyFailed", [this](bool on) { m_source.setOnlyFailed(on), m_sheet->setOnlyFailed(on), refreshGrid(); });
    toggle("unfoldItems", [this](bool on) { m_source.unfoldItems(on), refreshGrid(); });
    using Order = TrialGrid::Order;
    using Show = TrialGrid::Show;
    for (const auto& [id, order] : {std::pair{"byTaken", Order::Taken},
                                    {"byLabel", Order::Label},
                                    {"byVerdict", Order::Verdict},
                                    {"byName", Order::Name},
                                    {"byShare", Order::Share}})
        add(id, [this, o = order] { m_source.setOrder(o), refreshGrid(); });
    for (const auto& [id, show] :
         {std::pair{"showAll", Show::All}, {"showFailed", Show::Failed}, {"showDisagreeing", Show::Disagreeing}})
        add(id, [this, w = show] { m_source.setShow(w), refreshGrid(); });
    add("freeLabels", [this] { m_sheet->freeLabels(); });
    toggle("contours", [this](bool on) { m_sheet->setContours(on); });
    add("nextPicture", [this] { m_session.viewNextPicture(); });
    add("turningView", [this] { m_evidence->showTurning(!m_evidence->showsTurning()); });
    toggle("loupe", [this](bool on) { m_sheet->setLoupe(on); });
    toggle("noSnap", [this](bool on) { m_sheet->setSnapping(!on); });
    toggle("greyUnder", [this](bool on) { m_sheet->setGreyUnder(on); });
    add("fit", [this] { m_sheet->fit(); });
    add("singlePixels", [this] { m_sheet->singlePixels(); });
    add("measure", [this] { m_sheet->startMeasuring(); });
    add("numberAnew", [this] {
        m_session.change(tr("number anew"), [this](Recipe& r) {
            int balloon = 1;
            std::set<std::pair<std::string, std::string>> seen;
            const auto number = [&](Step& s, Check& c) {
                if (seen.insert({s.id, c.output}).second) c.balloon = balloon++;
            };
            for (int row = 0; row < m_source.rows(); ++row)
                if (const GridRow of = m_source.row(row); of.kind == RowKind::Check)
                    if (Step* s = r.find(of.step))
                        for (Check& c : s->checks)
                            if (c.output == of.output) number(*s, c);
            for (Step& s : r.steps) // rows that are not shown just now
                for (Check& c : s.checks)
                    if (c.balloon) number(s, c);
        });
        emit m_session.said(tr("The balloons are numbered in the order of the rows"));
    });
    add("zoomIn", [this] { m_sheet->zoomBy(1.4); });
    add("zoomOut", [this] { m_sheet->zoomBy(1 / 1.4); });
    add("reverse", [this] { m_sheet->reverse(); });
    add("nextShape", [this] { m_sheet->nextShape(); });
    add("leaveOut", [this] { m_sheet->startLeavingOut(); });
    add("howCome", [this] { howCome(); });
    add("objects", [this] {
        if (!m_evidence->objects()->available())
            return emit m_session.said(
                tr("The chosen step looks at nothing one by one: choose blobs, edges or a pattern"));
        m_evidence->showObjects(!m_evidence->showsObjects());
    });
    add("likeThis", [this] { m_evidence->objects()->example(true); });
    add("notThis", [this] { m_evidence->objects()->example(false); });
    add("takeEmpty", [this] {
        if (auto ok = m_session.takeEmpty(); !ok) emit m_session.said(QString::fromStdString(ok.error().text()));
    });
    add("placesFromObjects", [this] { m_session.placesFromObjects(); });
    const auto say = [this](const base::Status& ok) {
        if (!ok) emit m_session.said(QString::fromStdString(ok.error().text()));
    };
    add("nextFault", [this] { walkFaults(1); });
    add("previousFault", [this] { walkFaults(-1); });
    add("addPlace", [this] { m_session.addPlace(); });
    add("addSample", [this, say] { say(m_session.addSample()); });
    add("addBareGround", [this, say] { say(m_session.addBareGround()); });
    add("samples", [this] { SamplesDialog(m_session, this).exec(); });
    add("savePlaces", [this, say] {
        const Step* s = m_session.selectedStep();
        if (!s || s->places.empty()) return emit m_session.said(tr("Choose a step with places first"));
        const QString path = QFileDialog::getSaveFileName(
            this, tr("Save places"), QString::fromStdString(s->name) + QStringLiteral(".places.json"),
            tr("Sets of places (*.json)"));
        if (!path.isEmpty()) say(m_session.savePlaces(path));
    });
    add("loadPlaces", [this, say] {
        const QString path = QFileDialog::getOpenFileName(this, tr("Load places"), {}, tr("Sets of places (*.json)"));
        if (!path.isEmpty()) say(m_session.loadPlaces(path));
    });
    connect(m_evidence, &EvidenceView::actWanted, this, [this](const QString& id) { action(id)->trigger(); });
    add("takeDraft", [this] {
        if (m_session.draft()) m_session.takeDraft();
        else m_session.takeProposal(true);
    });
    add("letGo", [this] {
        if (!m_sheet->letGo()) m_session.select({});
    });
    QAction* offer = add("nextOffer", [this] {
        if (m_session.draft()) m_session.chooseOffer(m_session.draft()->chosen + 1);
    });
    // Tab walks through the window unless a draft stands beside it.
    const auto followDraft = [this, offer] { offer->setEnabled(m_session.draft() != nullptr); };
    connect(&m_session, &Session::draftChanged, offer, followDraft);
    followDraft();
    add("kinds", [this] { showKinds(); });
    add("nextItem", [this] { m_session.setItem(m_session.item() + 1); });
    QAction* sheetAlone = toggle("sheetAlone", [this](bool on) {
        if (on) action(QStringLiteral("gridAlone"))->setChecked(false); // never both: that would be an empty page
        m_lower->setVisible(!on);
        m_evidence->setVisible(!on);
        m_strip->setVisible(!on);
        m_right->setVisible(!on && m_isTall);
    });
    toggle("evidenceLarge", [this](bool on) {
        const int all = m_upper->width();
        if (on) m_widths = m_upper->sizes();
        if (on) m_upper->setSizes({all * 3 / 10, all * 7 / 10});
        else if (!m_widths.isEmpty()) m_upper->setSizes(m_widths);
        arrange();
    });
    toggle("gridAlone", [this, sheetAlone](bool on) {
        if (on) sheetAlone->setChecked(false);
        if (m_isTall) {
            for (QWidget* w : {static_cast<QWidget*>(m_sheet), m_rightTop, m_strip}) w->setVisible(!on);
        } else {
            m_whole->widget(0)->setVisible(!on);
        }
    });
    add("otherArrangement", [this, sheetAlone] {
        sheetAlone->setChecked(false);
        action(QStringLiteral("gridAlone"))->setChecked(false);
        m_session.change(m_isTall ? tr("wide arrangement") : tr("tall arrangement"),
                         [this](Recipe& r) { r.arrangement = m_isTall ? "wide" : "tall"; });
    });
}

} // namespace desktop
