# The layering guard: reads every #include line below src/ and says which one goes down the list.
cmake_minimum_required(VERSION 3.25)
set(RULES
  "base:base" "image:base,image" "geometry:base,geometry" "drawing:base,geometry,drawing" "vision:base,image,geometry,vision"
  "recipe:base,image,geometry,drawing,recipe" "steps:base,image,geometry,drawing,vision,recipe,steps"
  "inspect:base,image,geometry,drawing,vision,recipe,inspect"
  "proof:base,image,geometry,vision,recipe,inspect,proof" "records:base,image,geometry,recipe,inspect,records"
  "report:base,image,geometry,drawing,recipe,inspect,proof,records,report" "station:base,image,geometry,recipe,inspect,records,station"
  "camera:base,image,recipe,station,camera" "people:base,recipe,people"
  "control:base,geometry,recipe,inspect,records,station,control"
  "cli:base,image,geometry,drawing,recipe,inspect,proof,records,report,station,control,camera,cli,demo"
  "desktop:base,image,geometry,drawing,recipe,inspect,proof,records,report,station,control,camera,people,desktop")
set(QT_FREE base image geometry drawing vision recipe steps inspect proof people)
set(bad "")
set(seen 0)
foreach(rule ${RULES})
  string(REGEX MATCH "^([a-z]+):(.*)$" _ ${rule})
  set(dir ${CMAKE_MATCH_1})
  string(REPLACE "," ";" allowed ${CMAKE_MATCH_2})
  file(GLOB_RECURSE files ${ROOT}/${dir}/*.h ${ROOT}/${dir}/*.cpp)
  foreach(f ${files})
    math(EXPR seen "${seen}+1")
    get_filename_component(leaf ${f} NAME)
    file(STRINGS ${f} includes REGEX "^#include")
    foreach(line ${includes})
      if(line MATCHES "\"([a-z]+)/" AND NOT CMAKE_MATCH_1 IN_LIST allowed AND NOT (dir STREQUAL "desktop" AND leaf STREQUAL "main.cpp"))
        string(APPEND bad "${f}: ${line}\n")
      endif()
      if(line MATCHES "<Q|<qcustomplot" AND dir IN_LIST QT_FREE)
        string(APPEND bad "${f}: ${line}  (Qt below records)\n")
      endif()
    endforeach()
  endforeach()
endforeach()
if(seen LESS 40)
  message(FATAL_ERROR "only ${seen} files were looked at; is ROOT right?")
endif()
if(bad)
  message(FATAL_ERROR "layering broken:\n${bad}")
endif()
message("${seen} files keep the layers")
