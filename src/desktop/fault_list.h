// fault_list.h - what is wrong with the item in view, worst first; a person walks from place to place and decides each.
#pragma once
#include "inspect/faults.h"

#include <QWidget>
#include <map>

class QLabel;
class QListWidget;
class QPushButton;

namespace desktop
{

struct FaultDecision {
    bool confirmed = false;
    QString why, by, at;
    QString words() const; // "confirmed M. Adler", "overruled E. Sand: glare"
};

class FaultList : public QWidget
{
    Q_OBJECT
public:
    explicit FaultList(QWidget* parent = nullptr);
    // `of`: what the list is of, "trial 6"; the fault in view stays chosen where it is still there.
    void show(const QString& of, std::vector<inspect::Fault> faults, std::map<std::string, FaultDecision> decided);
    const std::vector<inspect::Fault>& faults() const { return m_faults; }
    const inspect::Fault* chosen() const;
    void walk(int by); // to the next or the one before, round at the ends
    QString head() const;

signals:
    void led(const inspect::Fault& fault); // to its place
    void decided(const inspect::Fault& fault, bool confirmed);
    void closed();

protected:
    void paintEvent(QPaintEvent*) override;
    void keyPressEvent(QKeyEvent* e) override;
    bool eventFilter(QObject* of, QEvent* e) override;

private:
    void decide(bool confirmed);
    void refreshButtons();
    QLabel* m_head;
    QListWidget* m_list;
    QPushButton *m_confirm, *m_overrule;
    std::vector<inspect::Fault> m_faults;
    std::map<std::string, FaultDecision> m_decided;
    bool m_filling = false;
};

} // namespace desktop
