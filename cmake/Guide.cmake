# The guide with its pictures as a resource, put into the program as it is: a compiler needs minutes to read such an
# array.
set(docs ${CMAKE_SOURCE_DIR}/docs)
set(patterns ${docs}/guide/*.md ${docs}/guide/kinds/*.jpg ${docs}/screenshots/*.png)
foreach(folder line records height drawing same tiles proof)
  list(APPEND patterns ${docs}/guide/${folder}/*.png)
endforeach()
file(GLOB guide RELATIVE ${CMAKE_SOURCE_DIR} CONFIGURE_DEPENDS ${patterns})
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
add_custom_command(OUTPUT ${CMAKE_BINARY_DIR}/guide.rcc
  COMMAND Qt6::rcc --binary --no-compress -o ${CMAKE_BINARY_DIR}/guide.rcc ${CMAKE_BINARY_DIR}/guide.qrc
  DEPENDS ${CMAKE_BINARY_DIR}/guide.qrc ${sources} VERBATIM)
add_custom_target(guide_resource DEPENDS ${CMAKE_BINARY_DIR}/guide.rcc)
add_dependencies(dikkat_desktop guide_resource)
set_source_files_properties(src/desktop/guide_resource.cpp PROPERTIES OBJECT_DEPENDS ${CMAKE_BINARY_DIR}/guide.rcc
  COMPILE_DEFINITIONS "GUIDE_RCC=\"${CMAKE_BINARY_DIR}/guide.rcc\"")
