#include "desktop/outputs_dialog.h"

#include "base/files.h"
#include "control/mqtt_output.h"
#include "control/text_output.h"
#include "desktop/latest_job.h"
#include "report/theme.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>
#include <QTimer>
#include <nlohmann/json.hpp>

namespace desktop
{
using recipe::Outlet;
using recipe::TextOutlet;
using Kind = Outlet::Kind;

namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
QString kindWord(Kind k)
{
    switch (k) {
    case Kind::Text: return QObject::tr("Text");
    case Kind::Broker: return QObject::tr("MQTT");
    case Kind::Registers: return QObject::tr("Modbus table");
    }
    return {};
}
} // namespace

OutputsDialog::OutputsDialog(Session& session, QWidget* parent)
    : QDialog(parent), m_session(session), m_outlets(session.recipe().outlets)
{
    setObjectName(QStringLiteral("outputsDialog"));
    setWindowTitle(tr("Outputs"));
    resize(1040, 740);
    auto* whole = new QVBoxLayout(this);
    auto* about =
        new QLabel(tr("Who is told of every item. They belong to the recipe; the line tells them from the next "
                      "release on, each on its own: one that is away holds nobody up."),
                   this);
    about->setWordWrap(true);
    whole->addWidget(about);
    auto* middle = new QHBoxLayout;
    whole->addLayout(middle, 1);
    auto* left = new QVBoxLayout;
    m_list = new QListWidget(this);
    m_list->setObjectName(QStringLiteral("outputs"));
    m_list->setAccessibleName(tr("Outputs"));
    m_list->setFixedWidth(210);
    left->addWidget(m_list, 1);
    auto* add = new QPushButton(tr("Add"), this);
    add->setObjectName(QStringLiteral("addOutput"));
    auto* menu = new QMenu(add);
    for (const Kind k : {Kind::Text, Kind::Broker, Kind::Registers}) {
        QAction* a = menu->addAction(kindWord(k), this, [this, k] { this->add(k); });
        a->setObjectName(QStringLiteral("add_") + QLatin1String(recipe::name(k)));
    }
    add->setMenu(menu);
    m_drop = new QPushButton(tr("Remove"), this);
    m_drop->setObjectName(QStringLiteral("removeOutput"));
    connect(m_drop, &QPushButton::clicked, this, [this] {
        const int row = m_list->currentRow();
        if (row < 0) return;
        m_outlets.erase(m_outlets.begin() + row);
        delete m_list->takeItem(row);
        showChosen();
    });
    auto* row = new QHBoxLayout;
    row->addWidget(add), row->addWidget(m_drop);
    left->addLayout(row);
    middle->addLayout(left);
    m_right = new QVBoxLayout;
    middle->addLayout(m_right, 1);
    m_preview = new QPlainTextEdit(this);
    m_preview->setObjectName(QStringLiteral("outputPreview"));
    m_preview->setAccessibleName(tr("What is sent of the item in view"));
    m_preview->setReadOnly(true);
    m_table = new QTableWidget(0, 5, this);
    m_table->setObjectName(QStringLiteral("registers"));
    m_table->setAccessibleName(tr("Addresses"));
    m_table->setHorizontalHeaderLabels({tr("where"), tr("address"), tr("type"), tr("meaning"), tr("now")});
    m_table->horizontalHeader()->setSectionResizeMode(3, QHeaderView::Stretch);
    m_table->verticalHeader()->hide();
    m_table->verticalHeader()->setDefaultSectionSize(24);
    m_table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_right->addWidget(m_table, 1);
    m_right->addWidget(m_preview, 1);
    m_names = new QLabel(this);
    m_names->setWordWrap(true);
    m_names->setFont(report::uiFont(12));
    m_right->addWidget(m_names);
    auto* tries = new QHBoxLayout;
    m_send = new QPushButton(tr("Send this item"), this);
    m_send->setObjectName(QStringLiteral("sendItem"));
    m_send->setToolTip(tr("Tells the chosen output of the item in view, now"));
    connect(m_send, &QPushButton::clicked, this, &OutputsDialog::sendItem);
    m_export = new QPushButton(tr("Save the table…"), this);
    m_export->setObjectName(QStringLiteral("exportTable"));
    m_export->setToolTip(tr("For the other side's engineer, as CSV or Markdown"));
    connect(m_export, &QPushButton::clicked, this, &OutputsDialog::exportTable);
    m_state = new QLabel(this);
    m_state->setObjectName(QStringLiteral("outputState"));
    m_state->setWordWrap(true);
    tries->addWidget(m_send), tries->addWidget(m_export), tries->addWidget(m_state, 1);
    m_right->addLayout(tries);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    connect(buttons, &QDialogButtonBox::accepted, this, &OutputsDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    whole->addWidget(buttons);
    for (const Outlet& o : m_outlets) m_list->addItem(q(o.name) + QStringLiteral("  ·  ") + kindWord(o.kind));
    connect(m_list, &QListWidget::currentRowChanged, this, [this] { showChosen(); });
    if (m_list->count()) m_list->setCurrentRow(0);
    else showChosen();
}

Outlet* OutputsDialog::chosen()
{
    const int row = m_list->currentRow();
    return row >= 0 && row < int(m_outlets.size()) ? &m_outlets[std::size_t(row)] : nullptr;
}

void OutputsDialog::add(Kind kind)
{
    Outlet o;
    o.kind = kind;
    const std::string wanted = kindWord(kind).toStdString();
    o.name = wanted;
    for (int n = 2; std::any_of(m_outlets.begin(), m_outlets.end(), [&](const Outlet& x) { return x.name == o.name; });
         ++n)
        o.name = wanted + " " + std::to_string(n);
    if (kind == Kind::Registers) o.registers.port = 1502; // 502 is for the administrator alone
    m_outlets.push_back(o);
    m_list->addItem(q(o.name) + QStringLiteral("  ·  ") + kindWord(kind));
    m_list->setCurrentRow(m_list->count() - 1);
}

QLineEdit* OutputsDialog::text(const QString& label, const char* name, const std::string& value, const QString& tip)
{
    auto* e = new QLineEdit(q(value), m_fields);
    e->setObjectName(QLatin1String(name));
    e->setToolTip(tip);
    connect(e, &QLineEdit::textChanged, this, &OutputsDialog::read);
    m_form->addRow(label, e);
    return m_texts[QLatin1String(name)] = e;
}
QSpinBox* OutputsDialog::number(const QString& label, const char* name, int value, int low, int high,
                                const QString& tip)
{
    auto* e = new QSpinBox(m_fields);
    e->setObjectName(QLatin1String(name));
    e->setRange(low, high);
    e->setValue(value);
    e->setToolTip(tip);
    connect(e, &QSpinBox::valueChanged, this, &OutputsDialog::read);
    m_form->addRow(label, e);
    return m_numbers[QLatin1String(name)] = e;
}
QCheckBox* OutputsDialog::flag(const QString& label, const char* name, bool value, const QString& tip)
{
    auto* e = new QCheckBox(label, m_fields);
    e->setObjectName(QLatin1String(name));
    e->setChecked(value);
    e->setToolTip(tip);
    connect(e, &QCheckBox::toggled, this, &OutputsDialog::read);
    m_form->addRow(QString(), e);
    return m_flags[QLatin1String(name)] = e;
}

// The fields of the chosen output's kind; made anew, as each kind has others.
void OutputsDialog::showChosen()
{
    if (m_fields) m_fields->hide(), m_fields->deleteLater();
    m_texts.clear(), m_numbers.clear(), m_flags.clear(), m_way = m_values = nullptr;
    m_fields = new QWidget(this);
    m_form = new QFormLayout(m_fields);
    m_form->setContentsMargins(0, 0, 0, 0);
    m_right->insertWidget(0, m_fields);
    const Outlet* o = chosen();
    if (o) {
        const Outlet now = *o;
        text(tr("Name"), "outputName", now.name, tr("Said when it is in trouble"));
        flag(tr("In use"), "inUse", now.inUse, tr("An output out of use is told nothing"));
        switch (now.kind) {
        case Kind::Text: {
            m_way = new QComboBox(m_fields);
            m_way->setObjectName(QStringLiteral("way"));
            m_way->addItems({tr("to a peer over TCP"), tr("to all who connect here"), tr("over a serial line")});
            m_way->setCurrentIndex(int(now.text.way));
            connect(m_way, &QComboBox::currentIndexChanged, this, [this] {
                read();
                QTimer::singleShot(0, this, &OutputsDialog::showChosen); // other fields
            });
            m_form->addRow(tr("Goes"), m_way);
            if (now.text.way == TextOutlet::Way::Serial) {
                text(tr("Device"), "device", now.text.device, tr("For example /dev/ttyUSB0"));
                number(tr("Baud"), "baud", now.text.baud, 50, 4000000, {});
            } else {
                text(tr("Host"), "host", now.text.host, tr("Of the peer, or the address of this machine to listen on"));
                number(tr("Port"), "port", now.text.port, 1, 65535, {});
            }
            text(tr("Text"), "pattern", now.text.pattern,
                 tr("{verdict} {Width:.3f} {Slots.areas[2]} {item.x:.1f} {Width|none} \\r\\n"));
            break;
        }
        case Kind::Broker:
            text(tr("Broker"), "host", now.broker.host, {});
            number(tr("Port"), "port", now.broker.port, 1, 65535, {});
            text(tr("Topic"), "topic", now.broker.topic, tr("Messages go to topic/item, the state to topic/state"));
            text(tr("User"), "user", now.broker.user, tr("Empty: none"));
            text(tr("Password file"), "passwordFile", now.broker.passwordFile,
                 tr("Its first line is the password; it is never kept in the recipe"));
            text(tr("Authority"), "authority", now.broker.authority,
                 tr("PEM file that vouches for the broker; empty: no TLS"));
            break;
        case Kind::Registers:
            text(tr("Listens on"), "host", now.registers.host, tr("0.0.0.0: on every address of this machine"));
            number(tr("Port"), "port", now.registers.port, 1, 65535, tr("502 needs the administrator's rights"));
            number(tr("Unit"), "unit", now.registers.unit, 1, 247, {});
            number(tr("Elements of a list"), "elements", now.registers.elements, 0, 200,
                   tr("So many of each list have registers of their own"));
            m_values = new QComboBox(m_fields);
            m_values->setObjectName(QStringLiteral("valuesAs"));
            m_values->addItems({tr("float32, two registers"), tr("int16: value × scale"), tr("int32: value × scale")});
            m_values->setCurrentIndex(int(now.registers.values));
            connect(m_values, &QComboBox::currentIndexChanged, this, &OutputsDialog::read);
            m_form->addRow(tr("Values as"), m_values);
            text(tr("Scale"), "scale", base::shortest(now.registers.scale),
                 tr("Of int16 and int32: 1000 tells mm as µm. What is not measured is the least number there is"))
                ->setEnabled(now.registers.values != recipe::RegisterOutlet::Values::Float32);
            connect(m_values, &QComboBox::currentIndexChanged, m_texts[QStringLiteral("scale")],
                    [scale = m_texts[QStringLiteral("scale")]](int as) { scale->setEnabled(as != 0); });
            flag(tr("Low word first"), "lowWordFirst", now.registers.lowWordFirst, tr("Of values of two registers"));
            flag(tr("Handshake"), "handshake", now.registers.handshake,
                 tr("The next item is shown when the last one was acknowledged; none is passed over"));
            break;
        }
    }
    m_fields->show();
    m_drop->setEnabled(o), m_send->setVisible(o && o->kind != Kind::Registers);
    m_table->setVisible(o && o->kind == Kind::Registers), m_export->setVisible(o && o->kind == Kind::Registers);
    m_preview->setVisible(!m_table->isVisibleTo(this));
    m_names->setVisible(o && o->kind == Kind::Text);
    QStringList names;
    for (const char* known : {"verdict", "word", "number", "time", "batch", "item.x", "item.y", "item.angle", "robot.x",
                              "robot.y", "robot.angle"})
        names << QLatin1String(known);
    for (const recipe::Step& s : m_session.recipe().steps)
        for (const recipe::Check& c : s.checks) names << q(c.name);
    m_names->setText(tr("In braces, with a format after a colon and after a bar what stands for nothing: %1")
                         .arg(names.join(QStringLiteral(" · "))));
    refresh();
}

void OutputsDialog::read()
{
    Outlet* o = chosen();
    if (!o) return;
    const auto said = [&](const char* name, std::string& to) {
        if (const auto e = m_texts.find(QLatin1String(name)); e != m_texts.end())
            to = e->second->text().trimmed().toStdString();
    };
    const auto counted = [&](const char* name, int& to) {
        if (const auto e = m_numbers.find(QLatin1String(name)); e != m_numbers.end()) to = e->second->value();
    };
    const auto ticked = [&](const char* name, bool& to) {
        if (const auto e = m_flags.find(QLatin1String(name)); e != m_flags.end()) to = e->second->isChecked();
    };
    said("outputName", o->name), ticked("inUse", o->inUse);
    switch (o->kind) {
    case Kind::Text:
        if (m_way) o->text.way = TextOutlet::Way(m_way->currentIndex());
        said("host", o->text.host), counted("port", o->text.port), said("device", o->text.device);
        counted("baud", o->text.baud);
        if (const auto e = m_texts.find(QStringLiteral("pattern")); e != m_texts.end())
            o->text.pattern = e->second->text().toStdString(); // blanks count
        break;
    case Kind::Broker:
        said("host", o->broker.host), counted("port", o->broker.port), said("topic", o->broker.topic);
        said("user", o->broker.user), said("passwordFile", o->broker.passwordFile),
            said("authority", o->broker.authority);
        break;
    case Kind::Registers:
        said("host", o->registers.host), counted("port", o->registers.port), counted("unit", o->registers.unit);
        counted("elements", o->registers.elements), ticked("lowWordFirst", o->registers.lowWordFirst);
        ticked("handshake", o->registers.handshake);
        if (m_values) o->registers.values = recipe::RegisterOutlet::Values(m_values->currentIndex());
        if (const auto e = m_texts.find(QStringLiteral("scale")); e != m_texts.end())
            o->registers.scale = e->second->text().replace(QLatin1Char(','), QLatin1Char('.')).toDouble();
        break;
    }
    m_list->currentItem()->setText(q(o->name) + QStringLiteral("  ·  ") + kindWord(o->kind));
    refresh();
}

// As the line would log it, under the recipe being edited.
std::optional<station::Logged> OutputsDialog::itemInView() const
{
    const auto* result = m_session.currentResult();
    if (!result || !m_session.prepared()) return {};
    auto release = std::make_shared<records::Release>();
    release->prepared = m_session.prepared();
    release->revision = m_session.recipe().revision;
    auto line = std::make_shared<station::Line>();
    line->release = release;
    station::Logged logged;
    logged.inspected.taken.number = std::uint64_t(std::max(0, m_session.trial()) + 1);
    logged.inspected.taken.line = line;
    logged.inspected.taken.at = records::nowUtc();
    logged.inspected.result = std::make_shared<const inspect::PictureResult>(*result);
    return logged;
}

// What would be sent of the item in view, and what is wrong.
void OutputsDialog::refresh()
{
    const Outlet* o = chosen();
    m_state->clear();
    if (!o) {
        m_preview->setPlainText(tr("Nobody is told yet. Add a text, an MQTT broker or a Modbus table."));
        return;
    }
    const auto logged = itemInView();
    const std::size_t item = std::size_t(std::max(0, m_session.item()));
    if (o->kind == Kind::Registers) {
        const auto table = control::registerTable(m_session.recipe(), o->registers);
        const auto values = logged ? control::valuesOf(*logged, item, o->registers) : control::RegisterValues{};
        m_table->setRowCount(int(table.size()));
        for (int i = 0; i < int(table.size()); ++i) {
            const control::Register& r = table[std::size_t(i)];
            const QString meaning = q(r.name) + (r.meaning.empty() ? QString() : QStringLiteral(" · ") + q(r.meaning));
            const QString cells[] = {QString::fromLatin1(control::name(r.area)), QString::number(r.address), q(r.type),
                                     meaning, q(control::valueText(r, values, o->registers))};
            for (int c = 0; c < 5; ++c) m_table->setItem(i, c, new QTableWidgetItem(cells[c]));
        }
        for (const int c : {0, 1, 2}) m_table->resizeColumnToContents(c);
        return;
    }
    if (o->kind == Kind::Text) {
        const auto message = control::Message::parse(o->text.pattern, m_session.recipe());
        if (!message) return m_preview->setPlainText({}), m_state->setText(q(message.error().message));
        if (!logged) return m_preview->setPlainText(tr("no item in view yet"));
        QString line = q(message->of(*logged, item));
        // What is not seen is written as it is typed.
        line.replace(QLatin1Char('\r'), QStringLiteral("\\r")).replace(QLatin1Char('\n'), QStringLiteral("\\n\n"));
        return m_preview->setPlainText(line);
    }
    m_preview->setPlainText(!logged ? tr("no item in view yet")
                                    : q(nlohmann::json::parse(control::itemMessage(*logged, item)).dump(2)));
}

void OutputsDialog::sendItem()
{
    const Outlet* o = chosen();
    const auto logged = itemInView();
    if (!o || !logged) return m_state->setText(tr("There is no item in view to be sent"));
    if (o->kind == Kind::Registers) return;
    m_state->setText(tr("sending …"));
    const auto ok = awake([&]() -> base::Status {
        std::unique_ptr<station::Output> output;
        if (o->kind == Kind::Text) output = std::make_unique<control::TextOutput>(*o);
        else output = std::make_unique<control::MqttOutput>(*o);
        output->begin();
        base::Status told;
        // Somebody who connects here, or a broker, needs a moment.
        for (int i = 0; i < 30; ++i) {
            if (o->kind == Kind::Broker) {
                if (i == 0) told = output->tell(*logged);
                else if (static_cast<control::MqttOutput&>(*output).waiting() == 0) told = base::Status{};
            } else told = output->tell(*logged);
            if (told) break;
            std::this_thread::sleep_for(std::chrono::milliseconds(100));
        }
        output->end();
        return told;
    });
    m_state->setText(ok ? tr("Sent.") : q(ok.error().text()));
}

void OutputsDialog::exportTable()
{
    const Outlet* o = chosen();
    if (!o) return;
    const QString path =
        QFileDialog::getSaveFileName(this, tr("Save the table"), QStringLiteral("registers.csv"),
                                     tr("CSV (*.csv);;Markdown (*.md)"), nullptr, QFileDialog::DontUseNativeDialog);
    if (path.isEmpty()) return;
    const auto table = control::registerTable(m_session.recipe(), o->registers);
    const std::string bytes =
        path.endsWith(QStringLiteral(".md")) ? control::tableAsMarkdown(table) : control::tableAsCsv(table);
    const auto ok = base::writeAtomic(base::realFiles(), path.toStdString(), bytes);
    m_state->setText(ok ? tr("Saved as %1").arg(path) : q(ok.error().text()));
}

void OutputsDialog::accept()
{
    recipe::Recipe tried = m_session.recipe();
    tried.outlets = m_outlets;
    if (auto ok = control::checkOutlets(tried); !ok) return m_state->setText(q(ok.error().text()));
    for (std::size_t i = 0; i < m_outlets.size(); ++i) {
        // As its file would be read.
        auto again = recipe::outletFromJson(recipe::outletToJson(m_outlets[i]), m_outlets[i].name);
        if (!again) return m_state->setText(q(again.error().text()));
        if (m_outlets[i].name.empty()) return m_state->setText(tr("An output has no name"));
        for (std::size_t k = 0; k < i; ++k)
            if (m_outlets[k].name == m_outlets[i].name)
                return m_state->setText(tr("Two outputs are named %1").arg(q(m_outlets[i].name)));
    }
    if (!(m_outlets == m_session.recipe().outlets))
        m_session.change(tr("outputs"), [&](recipe::Recipe& r) { r.outlets = m_outlets; });
    QDialog::accept();
}

} // namespace desktop
