#include "desktop/records/records_setup.h"

#include "base/files.h"
#include "desktop/latest_job.h"
#include "desktop/records/records_model.h"
#include "records/retention.h"
#include "report/theme.h"

#include <QCheckBox>
#include <QDateTime>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFile>
#include <QFileDialog>
#include <QFormLayout>
#include <QGroupBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QMessageBox>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>
#include <nlohmann/json.hpp>

namespace desktop
{
using json = nlohmann::ordered_json;

base::Result<RecordsSetup> RecordsSetup::load(const QString& file)
{
    RecordsSetup s;
    if (!QFile::exists(file)) return s;
    const auto bytes = base::readFile(file.toStdString());
    if (!bytes) return base::passOn(bytes.error());
    const json j = json::parse(*bytes, nullptr, false);
    const auto corrupt = [&](const std::string& what) {
        return base::fail(base::ErrorCode::Corrupt, what, file.toStdString());
    };
    if (!j.is_object()) return corrupt("is no JSON object");
    const auto text = [&](const json& of, const char* key) {
        return of.contains(key) && of[key].is_string() ? QString::fromStdString(of[key].get<std::string>()) : QString();
    };
    const auto flag = [&](const json& of, const char* key) {
        return of.contains(key) && of[key].is_boolean() && of[key].get<bool>();
    };
    if (j.contains("server")) {
        const auto address = records::ServerAddress::fromUrl(text(j["server"], "url"));
        if (!address) return corrupt("server: " + address.error().message);
        s.server = *address;
        s.toServer = flag(j["server"], "on");
    }
    if (j.contains("picture_gigabytes")) {
        if (!j["picture_gigabytes"].is_number() || j["picture_gigabytes"].get<double>() < 0)
            return corrupt("picture_gigabytes is no number from 0 on");
        s.pictureGigabytes = j["picture_gigabytes"].get<double>();
    }
    if (j.contains("reports")) {
        const json& r = j["reports"];
        s.reports.folder = text(r, "folder");
        if (const QString pattern = text(r, "pattern"); !pattern.isEmpty()) s.reports.pattern = pattern;
        s.reports.itemPdf = flag(r, "item_pdf"), s.reports.itemPng = flag(r, "item_png"),
        s.reports.itemJson = flag(r, "item_json");
        s.reports.rejectsOnly = flag(r, "rejects_only"), s.reports.batchPdf = flag(r, "batch_pdf"),
        s.reports.batchCsv = flag(r, "batch_csv");
        if (r.contains("deviation_page")) s.reports.pages.deviation = flag(r, "deviation_page");
        if (r.contains("drawing_page")) s.reports.pages.drawing = flag(r, "drawing_page");
        if (flag(r, "letter")) s.reports.paper = report::Paper::Letter;
        if (auto ok = s.reports.check(); !ok) return corrupt(ok.error().text());
    }
    return s;
}
base::Status RecordsSetup::save(const QString& file) const
{
    const json j{{"server", {{"on", toServer}, {"url", server.url(true).toStdString()}}},
                 {"picture_gigabytes", pictureGigabytes},
                 {"reports",
                  {{"folder", reports.folder.toStdString()},
                   {"pattern", reports.pattern.toStdString()},
                   {"item_pdf", reports.itemPdf},
                   {"item_png", reports.itemPng},
                   {"item_json", reports.itemJson},
                   {"rejects_only", reports.rejectsOnly},
                   {"batch_pdf", reports.batchPdf},
                   {"batch_csv", reports.batchCsv},
                   {"deviation_page", reports.pages.deviation},
                   {"drawing_page", reports.pages.drawing},
                   {"letter", reports.paper == report::Paper::Letter}}}};
    if (auto ok = base::writeAtomic(base::realFiles(), file.toStdString(), j.dump(2) + "\n"); !ok) return ok;
    QFile::setPermissions(file, QFile::ReadOwner | QFile::WriteOwner); // it may hold a password
    return {};
}

// ---------------------------------------------------------------- the dialog
RecordsSetupDialog::RecordsSetupDialog(RecordsSetup s, QString log, QWidget* parent)
    : QDialog(parent), m_log(std::move(log))
{
    setObjectName(QStringLiteral("recordsSetupDialog"));
    setWindowTitle(tr("Records and reports"));
    auto* layout = new QVBoxLayout(this);
    const auto group = [&](const QString& title) {
        auto* box = new QGroupBox(title, this);
        layout->addWidget(box);
        auto* form = new QFormLayout(box);
        form->setFieldGrowthPolicy(QFormLayout::ExpandingFieldsGrow);
        return form;
    };
    const auto check = [&](const char* name, const QString& text, bool on) {
        auto* c = new QCheckBox(text, this);
        c->setObjectName(QLatin1String(name));
        c->setChecked(on);
        return c;
    };
    const auto edit = [&](const char* name, const QString& text) {
        auto* e = new QLineEdit(text, this);
        e->setObjectName(QLatin1String(name));
        return e;
    };
    const auto line = [&](std::initializer_list<QWidget*> widgets) {
        auto* row = new QHBoxLayout;
        for (QWidget* w : widgets) row->addWidget(w, qobject_cast<QLineEdit*>(w) ? 1 : 0);
        return row;
    };
    const auto gigabytes = [&](const char* name, double value, const QString& none) {
        auto* b = new QDoubleSpinBox(this);
        b->setObjectName(QLatin1String(name));
        b->setRange(0, 1e6), b->setDecimals(1), b->setSuffix(tr(" GB")), b->setSpecialValueText(none),
            b->setValue(value);
        return b;
    };

    auto* server = group(tr("Server of several stations"));
    m_toServer = check("toServer", tr("Send every record on to a PostgreSQL server"), s.toServer);
    m_toServer->setToolTip(tr("Records are on this station's disk first; what the server misses is sent when it is "
                              "back, in order, once each."));
    server->addRow(m_toServer);
    m_host = edit("serverHost", s.server.host), m_database = edit("serverDatabase", s.server.database);
    m_user = edit("serverUser", s.server.user), m_password = edit("serverPassword", s.server.password);
    m_password->setEchoMode(QLineEdit::Password);
    m_port = new QSpinBox(this);
    m_port->setObjectName(QStringLiteral("serverPort"));
    m_port->setRange(1, 65535), m_port->setValue(s.server.port);
    server->addRow(tr("Host and port"), line({m_host, m_port}));
    server->addRow(tr("Database"), m_database);
    server->addRow(tr("User"), m_user);
    server->addRow(tr("Password"), m_password);
    auto* attempt = new QPushButton(tr("Try"), this);
    attempt->setObjectName(QStringLiteral("tryServer"));
    m_serverState = new QLabel(this);
    m_serverState->setObjectName(QStringLiteral("serverState"));
    m_serverState->setWordWrap(true);
    auto* tried = new QHBoxLayout;
    tried->addWidget(attempt), tried->addWidget(m_serverState, 1);
    server->addRow(QString(), tried);
    connect(attempt, &QPushButton::clicked, this, &RecordsSetupDialog::tryServer);

    auto* room = group(tr("Room"));
    m_pictures = gigabytes("pictureBound", s.pictureGigabytes, tr("no bound"));
    m_pictures->setToolTip(
        tr("Pictures beside the records take no more than this: those put aside longest ago go first, records stay."));
    room->addRow(tr("Pictures at most"), m_pictures);
    m_days = new QSpinBox(this);
    m_days->setObjectName(QStringLiteral("retainDays"));
    m_days->setRange(0, 36500), m_days->setSuffix(tr(" days")), m_days->setSpecialValueText(tr("any age"));
    m_most = gigabytes("retainMost", 0, tr("any size"));
    m_most->setDecimals(3);
    auto* remove = new QPushButton(tr("Remove now…"), this);
    remove->setObjectName(QStringLiteral("removeOld"));
    auto* old = line({m_days, m_most, remove});
    old->addStretch(1);
    room->addRow(tr("Records older, or more, than"), old);
    m_leaving = new QLabel(this);
    m_leaving->setObjectName(QStringLiteral("leaving"));
    m_leaving->setWordWrap(true);
    m_leaving->setMinimumWidth(380);
    room->addRow(QString(), m_leaving);
    connect(m_days, &QSpinBox::valueChanged, this, &RecordsSetupDialog::sayLeaving);
    connect(m_most, &QDoubleSpinBox::valueChanged, this, &RecordsSetupDialog::sayLeaving);
    connect(remove, &QPushButton::clicked, this, &RecordsSetupDialog::removeOld);

    auto* reports = group(tr("Reports made by themselves"));
    m_itemPdf = check("itemPdf", tr("PDF"), s.reports.itemPdf),
    m_itemPng = check("itemPng", tr("picture with marks"), s.reports.itemPng);
    m_itemJson = check("itemJson", tr("JSON"), s.reports.itemJson),
    m_rejects = check("rejectsOnly", tr("of rejects only"), s.reports.rejectsOnly);
    m_batchPdf = check("batchPdf", tr("PDF"), s.reports.batchPdf),
    m_batchCsv = check("batchCsv", tr("CSV, one row an item"), s.reports.batchCsv);
    m_letter = check("letter", tr("on Letter instead of A4"), s.reports.paper == report::Paper::Letter);
    auto* items = line({m_itemPdf, m_itemPng, m_itemJson, m_rejects});
    items->addStretch(1);
    reports->addRow(tr("After every item"), items);
    m_deviationPage = check("deviationPage", tr("page of the deviation"), s.reports.pages.deviation);
    m_drawingPage = check("drawingPage", tr("page of the drawing"), s.reports.pages.drawing);
    for (QCheckBox* box : {m_deviationPage, m_drawingPage})
        box->setToolTip(tr("In the PDF of an item whose recipe has a drawing"));
    auto* extra = line({m_deviationPage, m_drawingPage});
    extra->addStretch(1);
    reports->addRow(tr("With a drawing"), extra);
    auto* batches = line({m_batchPdf, m_batchCsv, m_letter});
    batches->addStretch(1);
    reports->addRow(tr("After every batch"), batches);
    m_pattern = edit("reportPattern", s.reports.pattern);
    m_pattern->setToolTip(
        tr("{item} {picture} {batch} {station} {verdict} {recipe} {revision} {date} {time}, and / for folders"));
    reports->addRow(tr("Name"), m_pattern);
    m_folder = edit("reportFolder", s.reports.folder);
    auto* browse = new QPushButton(tr("Folder…"), this);
    connect(browse, &QPushButton::clicked, this, [this] {
        const QString folder = QFileDialog::getExistingDirectory(this, tr("Folder of the reports"), m_folder->text());
        if (!folder.isEmpty()) m_folder->setText(folder);
    });
    reports->addRow(tr("Folder"), line({m_folder, browse}));
    m_wrong = new QLabel(this);
    m_wrong->setObjectName(QStringLiteral("setupWrong"));
    m_wrong->setWordWrap(true);
    QPalette red = m_wrong->palette();
    red.setColor(QPalette::WindowText, report::theme().fail);
    m_wrong->setPalette(red);
    layout->addWidget(m_wrong);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
    connect(buttons, &QDialogButtonBox::accepted, this, &RecordsSetupDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    layout->addWidget(buttons);
    resize(640, sizeHint().height());
    sayLeaving();
}

RecordsSetup RecordsSetupDialog::setup() const
{
    RecordsSetup s;
    s.toServer = m_toServer->isChecked();
    s.server = {m_host->text().trimmed(), m_port->value(), m_database->text().trimmed(), m_user->text().trimmed(),
                m_password->text()};
    s.pictureGigabytes = m_pictures->value();
    s.reports.folder = m_folder->text().trimmed(), s.reports.pattern = m_pattern->text().trimmed();
    s.reports.itemPdf = m_itemPdf->isChecked(), s.reports.itemPng = m_itemPng->isChecked(),
    s.reports.itemJson = m_itemJson->isChecked();
    s.reports.rejectsOnly = m_rejects->isChecked(), s.reports.batchPdf = m_batchPdf->isChecked(),
    s.reports.batchCsv = m_batchCsv->isChecked();
    s.reports.pages = {m_deviationPage->isChecked(), m_drawingPage->isChecked()};
    s.reports.paper = m_letter->isChecked() ? report::Paper::Letter : report::Paper::A4;
    return s;
}
void RecordsSetupDialog::accept()
{
    const RecordsSetup s = setup();
    if (s.toServer) {
        const auto address = records::ServerAddress::fromUrl(s.server.url(true));
        if (!address) return m_wrong->setText(QString::fromStdString(address.error().message));
    }
    if (auto ok = s.reports.check(); !ok) return m_wrong->setText(QString::fromStdString(ok.error().text()));
    QDialog::accept();
}
void RecordsSetupDialog::tryServer()
{
    const QString url = setup().server.url(true);
    m_serverState->setText(tr("asked …"));
    const auto answer = awake([&] { return records::RecordLog::open(url).map([](const auto&) { return true; }); });
    if (answer) m_serverState->setText(tr("it answers, and has records"));
    else if (answer.error().code == base::ErrorCode::NotFound)
        m_serverState->setText(tr("it answers; no station has put records there yet"));
    else m_serverState->setText(QString::fromStdString(answer.error().text()));
}

namespace
{
records::Retention retention(int days, double gigabytes) { return {days, (long long)(gigabytes * 1e9)}; }
QString words(const records::Leaving& l)
{
    const auto day = [](const QString& at) {
        return QLocale::c().toString(QDateTime::fromString(at, Qt::ISODateWithMs).toLocalTime(),
                                     QStringLiteral("d MMM yyyy HH:mm"));
    };
    QString text = l.items == 0
                       ? QObject::tr("nothing would go of %1 items").arg(grouped(l.of))
                       : QObject::tr("%1 of %2 items would go, taken %3 to %4, with %5 values, about %6 MB")
                             .arg(grouped(l.items), grouped(l.of), day(l.first), day(l.last), grouped(l.values))
                             .arg(double(l.bytes) / 1e6, 0, 'f', 1);
    if (l.notSent > 0) text += QObject::tr("; %1 more stay: the server does not have them yet").arg(grouped(l.notSent));
    return text;
}
} // namespace

void RecordsSetupDialog::sayLeaving()
{
    if (m_days->value() == 0 && m_most->value() == 0)
        return m_leaving->setText(tr("say an age or a size to see what would go"));
    if (!QFile::exists(m_log)) return m_leaving->setText(tr("nothing is logged yet"));
    const auto r = retention(m_days->value(), m_most->value());
    const auto l = awake([&]() -> base::Result<records::Leaving> {
        const auto log = records::RecordLog::open(m_log);
        if (!log) return base::passOn(log.error());
        return records::leaving(**log, r);
    });
    m_leaving->setText(l ? words(*l) : QString::fromStdString(l.error().text()));
}
void RecordsSetupDialog::removeOld()
{
    if ((m_days->value() == 0 && m_most->value() == 0) || !QFile::exists(m_log)) return sayLeaving();
    auto log = records::RecordLog::open(m_log);
    const auto l =
        log ? records::leaving(**log, retention(m_days->value(), m_most->value())) : base::passOn(log.error());
    if (!l) return m_leaving->setText(QString::fromStdString(l.error().text()));
    if (l->items == 0) return m_leaving->setText(words(*l));
    QMessageBox sure(QMessageBox::Warning, tr("Remove old records"),
                     words(*l) + tr(".\n\nThey cannot be taken back. Recipes, events and younger records stay."),
                     QMessageBox::Cancel, this);
    sure.setObjectName(QStringLiteral("removeSure"));
    auto* go = sure.addButton(tr("Remove"), QMessageBox::DestructiveRole);
    sure.setDefaultButton(QMessageBox::Cancel);
    sure.exec();
    if (sure.clickedButton() != go) return;
    log = tl::unexpected(base::Error{}); // it belongs to this thread
    base::Watch watch;
    const auto done = watched(tr("Removing old records …"), watch, [&]() -> base::Status {
        auto of = records::RecordLog::open(m_log);
        if (!of) return base::passOn(of.error());
        return records::remove(**of, *l, &watch);
    });
    if (done) sayLeaving();
    else m_leaving->setText(QString::fromStdString(done.error().text()));
}

} // namespace desktop
