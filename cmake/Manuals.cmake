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
# The tool says itself which commands it has.
set(command_manuals ${manual_folder}/commands)
add_custom_command(OUTPUT ${command_manuals}/made DEPENDS mellow VERBATIM
  COMMAND sh -ec "mkdir -p \"$2\"; rm -f \"$2\"/*; for c in $(\"$1\" complete '' | cut -f1); do test $c = help || \"$1\" help $c --markdown | '${LOWDOWN}' -s -Tman --out-no-smarty -M title=mellow-$c -M section=1 -M source='Mellow Crate ${PROJECT_VERSION}' > \"$2\"/mellow-$c.1; done; touch \"$2\"/made"
    sh $<TARGET_FILE:mellow> ${command_manuals})
list(APPEND manual_pages ${command_manuals}/made)
install(DIRECTORY ${command_manuals}/ DESTINATION ${CMAKE_INSTALL_MANDIR}/man1 COMPONENT tool FILES_MATCHING PATTERN "*.1")
mellow_manual(mellow-recipe 5 cat ${PROJECT_SOURCE_DIR}/docs/recipe.md)
mellow_manual(mellow-rig-sheet 5 cat ${PROJECT_SOURCE_DIR}/docs/rig-sheet.md)
mellow_manual(mellow-crate 5 cat ${PROJECT_SOURCE_DIR}/docs/crate.md)
mellow_manual(mellow-findings 7 cat ${PROJECT_SOURCE_DIR}/docs/findings.md)
foreach(text recipe rig-sheet crate findings)
  set_property(DIRECTORY APPEND PROPERTY CMAKE_CONFIGURE_DEPENDS ${PROJECT_SOURCE_DIR}/docs/${text}.md)
endforeach()
add_custom_target(manuals ALL DEPENDS ${manual_pages})
