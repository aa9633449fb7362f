# Completion for bash: what the command says may stand there, otherwise files.
_zeugma() {
    local line=${COMP_LINE:0:COMP_POINT} words current
    read -ra words <<<"$line"
    [[ $line == *[[:space:]] ]] && words+=("")
    current=${words[-1]}
    mapfile -t COMPREPLY < <("${words[0]}" --candidates "${words[@]:1}" 2>/dev/null)
    # bash takes ":" and "=" as the ends of words
    [[ $current == *[:=]* ]] && COMPREPLY=("${COMPREPLY[@]#"${current%"${current##*[:=]}"}"}")
    [[ ${COMPREPLY[*]} == *[:=] ]] && compopt -o nospace 2>/dev/null
    return 0
}
complete -o default -F _zeugma zeugma
