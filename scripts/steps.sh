# Sourced by the scripts that take a while: says what runs, and at the end how long each step took.
steps_names=()
steps_seconds=()

# step NAME COMMAND...
step() {
  local name=$1 from=$SECONDS
  shift
  printf '\n== %s\n' "$name"
  "$@"
  steps_names+=("$name")
  steps_seconds+=($((SECONDS - from)))
}

steps_done() {
  printf '\n'
  local i
  for i in "${!steps_names[@]}"; do printf '%5d s  %s\n' "${steps_seconds[$i]}" "${steps_names[$i]}"; done
  printf '%5d s  in all\n' "$SECONDS"
}

# cmake --build with its count: on one line of a terminal, else every tenth line. What the compiler says stays.
build() {
  if [ -t 1 ]; then
    cmake --build "$@"
  else
    cmake --build "$@" | {
      local line last="" count=0
      while IFS= read -r line; do
        case $line in
          \[[0-9]*/[0-9]*\]*)
            last=$line
            ((count++ % 10)) || { echo "$line"; last=""; } ;;
          *)
            [ -z "$last" ] || echo "$last"
            last=""
            echo "$line" ;;
        esac
      done
      [ -z "$last" ] || echo "$last"
    }
  fi
}
