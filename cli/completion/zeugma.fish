# Completion for fish: what the command says may stand there, and files.
complete -c zeugma -a '(zeugma --candidates (commandline -opc)[2..-1] (commandline -ct) 2>/dev/null)'
