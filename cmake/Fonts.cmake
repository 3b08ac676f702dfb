# Fonts become resources of the programs, so that no screen ever shows boxes.
find_file(B612 B612-Regular.otf PATHS /usr/share/fonts/opentype/b612 NO_DEFAULT_PATH REQUIRED)
find_file(B612_BOLD B612-Bold.otf PATHS /usr/share/fonts/opentype/b612 NO_DEFAULT_PATH REQUIRED)
find_file(OSIFONT osifont.ttf PATHS /usr/share/fonts/truetype/osifont NO_DEFAULT_PATH REQUIRED)
find_file(WIDE_FONT DejaVuSans.ttf PATHS /usr/share/fonts/truetype/dejavu NO_DEFAULT_PATH REQUIRED)
file(CONFIGURE OUTPUT ${CMAKE_BINARY_DIR}/fonts.qrc @ONLY CONTENT
"<RCC><qresource prefix=\"/fonts\">
<file alias=\"B612-Regular.otf\">@B612@</file><file alias=\"B612-Bold.otf\">@B612_BOLD@</file>
<file alias=\"osifont.ttf\">@OSIFONT@</file><file alias=\"wide.ttf\">@WIDE_FONT@</file>
</qresource></RCC>
")
qt_add_resources(font_sources ${CMAKE_BINARY_DIR}/fonts.qrc)
target_sources(dikkat_report PRIVATE ${font_sources})
