// guide_window.h - the guide as it is in docs/guide, its pages and pictures carried in the program.
#pragma once
#include <QDialog>
#include <QTextBrowser>
#include <vector>

class QListWidget;

namespace desktop
{

struct GuidePage {
    QString file, title; // "count.md"; empty: the list of keys and gestures
    QString words;       // of its headings and of what it stresses
};
const std::vector<GuidePage>& guidePages();

// Pictures as wide as the page at most.
class GuideBrowser : public QTextBrowser
{
    Q_OBJECT
public:
    using QTextBrowser::QTextBrowser;
    QVariant loadResource(int type, const QUrl& name) override;
};

class GuideWindow : public QDialog
{
    Q_OBJECT
public:
    explicit GuideWindow(QWidget* parent = nullptr);
    void showPage(const QString& file); // empty: keys and gestures

private:
    void showKeys();
    QListWidget* m_list;
    GuideBrowser* m_text;
};

} // namespace desktop
