# The guide with its pictures as a resource, put into the program as it is: a compiler needs minutes to read such an array.
file(GLOB guide RELATIVE ${CMAKE_SOURCE_DIR} CONFIGURE_DEPENDS ${CMAKE_SOURCE_DIR}/docs/guide/*.md ${CMAKE_SOURCE_DIR}/docs/guide/kinds/*.jpg ${CMAKE_SOURCE_DIR}/docs/guide/line/*.png ${CMAKE_SOURCE_DIR}/docs/guide/records/*.png ${CMAKE_SOURCE_DIR}/docs/guide/height/*.png ${CMAKE_SOURCE_DIR}/docs/guide/drawing/*.png ${CMAKE_SOURCE_DIR}/docs/guide/same/*.png ${CMAKE_SOURCE_DIR}/docs/guide/tiles/*.png ${CMAKE_SOURCE_DIR}/docs/guide/proof/*.png ${CMAKE_SOURCE_DIR}/docs/screenshots/*.png)
set(files "")
set(sources "")
foreach(f ${guide})
  string(REGEX REPLACE "^docs/" "" alias ${f})
  string(APPEND files "<file alias=\"${alias}\">${CMAKE_SOURCE_DIR}/${f}</file>\n")
  list(APPEND sources ${CMAKE_SOURCE_DIR}/${f})
endforeach()
file(CONFIGURE OUTPUT ${CMAKE_BINARY_DIR}/guide.qrc @ONLY CONTENT "<RCC><qresource prefix=\"/docs\">
@files@</qresource></RCC>
")
add_custom_command(OUTPUT ${CMAKE_BINARY_DIR}/guide.rcc COMMAND Qt6::rcc --binary --no-compress -o ${CMAKE_BINARY_DIR}/guide.rcc ${CMAKE_BINARY_DIR}/guide.qrc
  DEPENDS ${CMAKE_BINARY_DIR}/guide.qrc ${sources} VERBATIM)
add_custom_target(guide_resource DEPENDS ${CMAKE_BINARY_DIR}/guide.rcc)
add_dependencies(dikkat_desktop guide_resource)
set_source_files_properties(src/desktop/guide_resource.cpp PROPERTIES OBJECT_DEPENDS ${CMAKE_BINARY_DIR}/guide.rcc COMPILE_DEFINITIONS "GUIDE_RCC=\"${CMAKE_BINARY_DIR}/guide.rcc\"")
