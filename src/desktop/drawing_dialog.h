// drawing_dialog.h - the recipe's drawing: what it holds, which layers count, what a unit is, what was not understood.
#pragma once
#include "desktop/session.h"

#include <QDialog>

class QComboBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;

namespace desktop
{
class DrawingView;

class DrawingDialog : public QDialog
{
    Q_OBJECT
public:
    explicit DrawingDialog(Session& session, QWidget* parent = nullptr);
    // Reads a file for looking at; it becomes the recipe's when it is taken. What is wrong is said in the dialog.
    void read(const QString& path);

public slots:
    void accept() override;

protected:
    void dragEnterEvent(QDragEnterEvent*) override;
    void dropEvent(QDropEvent*) override;

private:
    void choose();
    void readAgain(); // with the settings as they stand
    void showIt();
    recipe::DrawingSettings settings() const;
    Session& m_session;
    recipe::Asset m_asset; // as it would be
    DrawingView* m_view;
    QLabel *m_file, *m_facts;
    QComboBox* m_unit;
    QLineEdit* m_join;
    QListWidget *m_layers, *m_notRead;
    QPushButton *m_drop, *m_ok;
    bool m_filling = false, m_dropped = false;
};

} // namespace desktop
