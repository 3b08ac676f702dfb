// sign_in_dialog.h - a name and a PIN, by keys or by fingers; and, for an administrator, who there is.
#pragma once
#include "desktop/signed_in.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSpinBox;
class QTableWidget;

namespace desktop
{

class SignInDialog : public QDialog
{
    Q_OBJECT
public:
    SignInDialog(SignedIn& who, QWidget* parent);

private:
    void tryIt();
    SignedIn& m_who;
    QComboBox* m_name;
    QLineEdit* m_pin;
    QLabel* m_state;
    QPushButton* m_go;
};

class PeopleDialog : public QDialog
{
    Q_OBJECT
public:
    PeopleDialog(SignedIn& who, QWidget* parent);

private:
    void fill();
    void act(const QString& what, const QString& subject, const std::function<base::Status(people::People&)>& edit);
    QString chosen() const;
    SignedIn& m_who;
    QTableWidget* m_table;
    QLineEdit *m_name, *m_pin;
    QComboBox* m_role;
    QSpinBox* m_minutes;
    QPushButton *m_add, *m_remove, *m_newPin, *m_newRole;
    QLabel* m_state;
};

} // namespace desktop
