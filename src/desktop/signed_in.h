// signed_in.h - who is at the window now and what he may do. While nobody is on file, everybody may everything.
#pragma once
#include "people/people.h"

#include <QElapsedTimer>
#include <QObject>
#include <QTimer>

namespace desktop
{

class SignedIn : public QObject
{
    Q_OBJECT
public:
    // `path`: the file of persons; one that cannot be read lets nobody in.
    explicit SignedIn(QString path, QObject* parent = nullptr, int minute = 60000); // ms
    bool needed() const { return !m_trouble.isEmpty() || m_people.any(); }
    people::Role role() const { return needed() ? m_role : people::Role::Administrator; }
    bool may(people::Right right) const { return people::may(role(), right); }
    QString name() const; // who answers for what is done; "" when nobody is signed in
    QString trouble() const { return m_trouble; }
    const people::People& people() const { return m_people; }
    // The window goes on painting meanwhile.
    base::Status signIn(const QString& name, const QString& pin);
    void signOut(const QString& why = {});
    // Changes who there is; `what` and `subject` are told as an event when it was done.
    base::Status change(const QString& what, const QString& subject,
                        const std::function<base::Status(people::People&)>& edit);

signals:
    void changed();
    void happened(const QString& what, const QString& subject, const QString& after);

protected:
    bool eventFilter(QObject*, QEvent*) override; // a hand on the window

private:
    QString m_path, m_name, m_trouble;
    const int m_minute;
    people::People m_people;
    people::Role m_role = people::Role::Nobody;
    QElapsedTimer m_idle;
    QTimer m_look;
};

QString roleWord(people::Role role);

} // namespace desktop
