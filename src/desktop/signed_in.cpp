#include "desktop/signed_in.h"

#include "desktop/latest_job.h"
#include "desktop/person.h"

#include <QDir>
#include <QFileInfo>

namespace desktop
{
namespace
{
QString q(const std::string& s) { return QString::fromStdString(s); }
} // namespace

QString roleWord(people::Role role)
{
    switch (role) {
    case people::Role::Nobody: return QObject::tr("nobody");
    case people::Role::Operator: return QObject::tr("operator");
    case people::Role::Engineer: return QObject::tr("engineer");
    case people::Role::Administrator: return QObject::tr("administrator");
    }
    return {};
}

SignedIn::SignedIn(QString path, QObject* parent, int minute)
    : QObject(parent), m_path(std::move(path)), m_minute(minute)
{
    QDir().mkpath(QFileInfo(m_path).absolutePath());
    auto loaded = people::People::load(base::realFiles(), m_path.toStdString());
    if (loaded) m_people = std::move(*loaded);
    else m_trouble = q(loaded.error().text());
    m_look.setInterval(m_minute / 60);
    connect(&m_look, &QTimer::timeout, this, [this] {
        const int minutes = m_people.signOutMinutes();
        if (m_role != people::Role::Nobody && minutes > 0 && m_idle.elapsed() > minutes * qint64(m_minute))
            signOut(tr("no hand on the window for %1 min").arg(minutes));
    });
    qApp->installEventFilter(this);
}

QString SignedIn::name() const { return needed() ? m_name : person(); }

base::Status SignedIn::signIn(const QString& name, const QString& pin)
{
    if (!m_trouble.isEmpty()) return base::fail(base::ErrorCode::Corrupt, m_trouble.toStdString());
    const auto role = awake([&] { return m_people.signIn(name.toStdString(), pin.toStdString(), std::time(nullptr)); });
    if (!role) {
        emit happened(QStringLiteral("sign in refused"), name, q(role.error().message));
        return base::passOn(role.error());
    }
    m_name = name;
    m_role = *role;
    setPerson(name);
    m_idle.start();
    m_look.start();
    emit happened(QStringLiteral("sign in"), name, roleWord(m_role));
    emit changed();
    return {};
}

void SignedIn::signOut(const QString& why)
{
    if (m_role == people::Role::Nobody) return;
    const QString who = m_name;
    m_look.stop();
    emit happened(QStringLiteral("sign out"), who, why);
    m_role = people::Role::Nobody;
    m_name.clear();
    emit changed();
}

base::Status SignedIn::change(const QString& what, const QString& subject,
                              const std::function<base::Status(people::People&)>& edit)
{
    const bool before = needed();
    const auto ok = awake([&] { return edit(m_people); });
    if (!ok) return ok;
    // The first one made himself; with the last one gone all is open again.
    if (!before && needed()) {
        m_name = q(m_people.persons().front().name), m_role = people::Role::Administrator;
        m_idle.start(), m_look.start();
    }
    emit happened(what, subject, {});
    if (const people::Person* self = m_people.find(m_name.toStdString())) m_role = self->role;
    else if (needed()) m_role = people::Role::Nobody, m_name.clear();
    emit changed();
    return {};
}

bool SignedIn::eventFilter(QObject* object, QEvent* e)
{
    switch (e->type()) {
    case QEvent::MouseButtonPress:
    case QEvent::MouseMove:
    case QEvent::KeyPress:
    case QEvent::Wheel:
    case QEvent::TouchBegin: m_idle.start(); break;
    default: break;
    }
    return QObject::eventFilter(object, e);
}

} // namespace desktop
