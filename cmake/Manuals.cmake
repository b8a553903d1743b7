# Manual pages: of each command from what the tool itself says of it, the others from docs/. Needs lowdown.
find_program(LOWDOWN lowdown)
if(NOT LOWDOWN)
  message(STATUS "lowdown is not there: no manual pages")
  return()
endif()

set(manual_folder ${PROJECT_BINARY_DIR}/man)
file(MAKE_DIRECTORY ${manual_folder})
set(manual_pages)

# mellow_manual(NAME SECTION SOURCE...): SOURCE is a command that prints Markdown.
function(mellow_manual name section)
  set(page ${manual_folder}/${name}.${section})
  add_custom_command(OUTPUT ${page} DEPENDS mellow VERBATIM
    COMMAND sh -c "\"$@\" | '${LOWDOWN}' -s -Tman --out-no-smarty -M title=${name} -M section=${section} -M source='Mellow Crate ${PROJECT_VERSION}' > '${page}'"
      sh ${ARGN})
  install(FILES ${page} DESTINATION ${CMAKE_INSTALL_MANDIR}/man${section} COMPONENT tool)
  set(manual_pages ${manual_pages} ${page} PARENT_SCOPE)
endfunction()

mellow_manual(mellow 1 $<TARGET_FILE:mellow> help --markdown)
foreach(command describe pack view compare convert lift demo)
  mellow_manual(mellow-${command} 1 $<TARGET_FILE:mellow> help ${command} --markdown)
endforeach()
mellow_manual(mellow-recipe 5 cat ${PROJECT_SOURCE_DIR}/docs/recipe.md)
mellow_manual(mellow-rig-sheet 5 cat ${PROJECT_SOURCE_DIR}/docs/rig-sheet.md)
mellow_manual(mellow-crate 5 cat ${PROJECT_SOURCE_DIR}/docs/crate.md)
mellow_manual(mellow-findings 7 cat ${PROJECT_SOURCE_DIR}/docs/findings.md)
foreach(text recipe rig-sheet crate findings)
  set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS ${PROJECT_SOURCE_DIR}/docs/${text}.md)
endforeach()
add_custom_target(manuals ALL DEPENDS ${manual_pages})
