#include "desktop/style.h"

#include "report/theme.h"

#include <QApplication>
#include <QPalette>
#include <QStyleFactory>

// Outside any namespace, as the resource compiler wants it.
static void initIcons() { Q_INIT_RESOURCE(icons); }

namespace desktop
{

void applyTheme(QApplication& application)
{
    initIcons();
    const report::Theme& t = report::theme();
    application.setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
    QPalette p;
    p.setColor(QPalette::Window, t.paper);
    p.setColor(QPalette::WindowText, t.ink);
    p.setColor(QPalette::Base, t.raised);
    p.setColor(QPalette::AlternateBase, t.paper);
    p.setColor(QPalette::Text, t.ink);
    p.setColor(QPalette::Button, t.paper);
    p.setColor(QPalette::ButtonText, t.ink);
    p.setColor(QPalette::Highlight, t.selected);
    p.setColor(QPalette::HighlightedText, t.ink);
    p.setColor(QPalette::PlaceholderText, t.second);
    p.setColor(QPalette::Link, t.datum), p.setColor(QPalette::LinkVisited, t.datum);
    p.setColor(QPalette::ToolTipBase, t.raised);
    p.setColor(QPalette::ToolTipText, t.ink);
    p.setColor(QPalette::Disabled, QPalette::ButtonText, t.second);
    p.setColor(QPalette::Disabled, QPalette::Text, t.second);
    p.setColor(QPalette::Disabled, QPalette::WindowText, t.second);
    application.setPalette(p);
    application.setFont(report::uiFont(13));
    const auto c = [](const QColor& colour) { return colour.name(); };
    QString css = QStringLiteral(R"(
        QMainWindow, QDialog { background: %paper; }
        #header { background: %paper; border-bottom: 1px solid %ink; }
        #strip { background: %paper; border-right: 1px solid %rule; }
        #strip QToolButton { border: 0; border-bottom: 1px solid %hair; padding: 4px 0; font-size: 12px; color: %ink; background: transparent; }
        #strip QToolButton:hover { background: %selected; }
        #strip QToolButton:checked { background: %selected; color: %datum; }
        #strip QToolButton::menu-indicator { image: none; }
        QToolButton[tab="true"] { border: 0; border-bottom: 3px solid transparent; padding: 9px 16px 7px 16px; font-size: 14px; background: transparent; color: %ink; }
        QToolButton[tab="true"]:checked { border-bottom-color: %datum; font-weight: bold; }
        QToolButton[tab="true"]:hover { background: %selected; }
        QToolButton[page="true"] { border: 0; border-bottom: 2px solid transparent; padding: 2px 10px 2px 10px; font-size: 12px; background: transparent; color: %second; }
        QToolButton[page="true"]:checked { border-bottom-color: %datum; color: %ink; font-weight: bold; }
        QToolButton[page="true"]:hover { background: %selected; }
        QToolButton[chip="true"], QPushButton { border: 1px solid %rule; border-radius: 2px; padding: 4px 10px; background: %raised; color: %ink; }
        QToolButton[chip="true"]:hover, QPushButton:hover { border-color: %datum; }
        QPushButton:focus, QToolButton[chip="true"]:focus { border: 1px solid %datum; }
        QPushButton:disabled { color: %second; background: %paper; }
        #startButton:enabled { background: %button; color: %buttonText; font-weight: bold; }
        QLineEdit, QComboBox, QDoubleSpinBox, QSpinBox { border: 1px solid %rule; border-radius: 2px; padding: 2px 6px; min-height: 20px; background: %raised; color: %ink; selection-background-color: %selected; selection-color: %ink; }
        QLineEdit:disabled, QComboBox:disabled, QDoubleSpinBox:disabled, QSpinBox:disabled { background: %paper; color: %second; border-color: %hair; }
        QLineEdit:focus, QComboBox:focus, QDoubleSpinBox:focus, QSpinBox:focus { border-color: %datum; }
        QComboBox::drop-down { border: 0; width: 22px; }
        QComboBox::down-arrow, QAbstractSpinBox::down-arrow { image: url(:/ui/down-%tone.xpm); width: 9px; height: 5px; }
        QAbstractSpinBox::up-arrow { image: url(:/ui/up-%tone.xpm); width: 9px; height: 5px; }
        QAbstractSpinBox::up-button, QAbstractSpinBox::down-button { border: 0; width: 20px; background: transparent; }
        #form QToolButton { border: 1px solid %rule; border-radius: 2px; padding: 2px 6px; background: %paper; color: %ink; }
        #form QToolButton:hover { border-color: %datum; }
        QLabel[aside="true"] { padding-left: 12px; padding-right: 12px; }
        #chosenForYou, #plotTitle, #trialsTitle, #evidenceAbout, #evidenceNote, #objectsWords, #examplesText { color: %second; }
        QSplitter::handle { background: %hair; }
        QSplitter::handle:horizontal { width: 5px; } QSplitter::handle:vertical { height: 5px; }
        QMenuBar { background: transparent; color: %ink; } QMenuBar::item { padding: 6px 9px; background: transparent; } QMenuBar::item:selected { background: %selected; }
        QMenu { background: %raised; border: 1px solid %rule; color: %ink; } QMenu::item { padding: 4px 26px 4px 24px; } QMenu::item:selected { background: %selected; color: %ink; } QMenu::item:disabled { color: %second; }
        QMenu::separator { height: 1px; background: %hair; margin: 3px 8px; }
        QHeaderView::section { background: %paper; color: %second; border: 0; border-bottom: 1px solid %ink; padding: 4px 6px; }
        QTableWidget, QTableView, QTreeWidget { background: %paper; color: %ink; selection-background-color: %selected; selection-color: %ink; }
        QScrollArea, QScrollArea > QWidget > QWidget { background: %paper; }
        #notice { background: %selected; border-bottom: 1px solid %datum; }
        #said { color: %ink; }
        #troubleLine { color: %fail; }
        QToolTip { background: %raised; color: %ink; border: 1px solid %rule; padding: 3px; }
        QStatusBar { background: %paper; color: %second; } QStatusBar::item { border: 0; }
        QScrollBar:horizontal { height: 10px; background: %paper; } QScrollBar:vertical { width: 10px; background: %paper; }
        QScrollBar::handle { background: %rule; border-radius: 4px; min-width: 30px; min-height: 30px; } QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; } QScrollBar::add-page, QScrollBar::sub-page { background: transparent; }
    )");
    const std::pair<const char*, QColor> colours[] = {
        {"%paper", t.paper},           {"%raised", t.raised}, {"%ink", t.ink},
        {"%second", t.second},         {"%hair", t.hair},     {"%rule", t.rule},
        {"%selected", t.selected},     {"%datum", t.datum},   {"%fail", t.fail},
        {"%buttonText", t.buttonText}, {"%button", t.button}};
    for (const auto& [name, colour] : colours) css.replace(QLatin1String(name), c(colour));
    css.replace(QLatin1String("%tone"), t.dark ? QLatin1String("paper") : QLatin1String("ink"));
    application.setStyleSheet(css);
}

} // namespace desktop
