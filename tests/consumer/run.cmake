# Installs the build into a folder of its own, then configures, builds and runs the consumer with it.
file(REMOVE_RECURSE ${WORK})
foreach(step
    "${CMAKE_COMMAND};--install;${BUILD};--prefix;${WORK}/prefix"
    "${CMAKE_COMMAND};-S;${SOURCE};-B;${WORK}/build;-G;Ninja;-DCMAKE_PREFIX_PATH=${WORK}/prefix"
    "${CMAKE_COMMAND};--build;${WORK}/build"
    "${WORK}/build/consumer"
    "${CMAKE_COMMAND};-S;${SOURCE};-B;${WORK}/core;-G;Ninja;-DCMAKE_PREFIX_PATH=${WORK}/prefix;-DCONSUMER_COMPONENTS=core"
    "${CMAKE_COMMAND};--build;${WORK}/core"
    "${WORK}/core/consumer")
  execute_process(COMMAND ${step} RESULT_VARIABLE result OUTPUT_VARIABLE output ERROR_VARIABLE output)
  if(NOT result EQUAL 0)
    message(FATAL_ERROR "failed: ${step}\n${output}")
  endif()
endforeach()
