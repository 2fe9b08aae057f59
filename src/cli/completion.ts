import { EXIT } from '../project/failure.ts';
import type { Command } from './command.ts';

/**
 * What each shell needs to ask the tool for words: the words so far, the one that is being typed the last, in one line
 * each. Paths and samples hold no colon, at which bash would break a word up.
 */
const SCRIPTS = {
  bash: `_vantfell() {
  local IFS=$'\\n'
  COMPREPLY=($(vantfell --complete "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null))
}
complete -o default -F _vantfell vantfell
`,
  zsh: `#compdef vantfell
_vantfell() {
  local -a found
  found=("\${(@f)$(vantfell --complete "\${(@)words[2,CURRENT]}" 2>/dev/null)}")
  if [[ -n "$found" ]]; then compadd -Q -- $found; else _files; fi
}
compdef _vantfell vantfell
`,
  fish: `complete -c vantfell -a '(vantfell --complete (commandline -opc)[2..-1] (commandline -ct) 2>/dev/null)'
`,
} as const;

type Shell = keyof typeof SCRIPTS;

const HOW: Readonly<Record<Shell, string>> = {
  bash: 'eval "$(vantfell completion bash)" in ~/.bashrc switches it on',
  zsh: 'eval "$(vantfell completion zsh)" in ~/.zshrc, behind compinit, switches it on',
  fish: 'vantfell completion fish > ~/.config/fish/completions/vantfell.fish switches it on',
};

export const completion: Command = {
  usage: 'completion <shell>',
  about: 'A script that lets a shell complete commands, options, models, paths and samples',
  examples: [['eval "$(vantfell completion bash)"', 'in this shell, from now on']],
  options: (yargs) =>
    yargs.positional('shell', { choices: Object.keys(SCRIPTS) as Shell[], demandOption: true, describe: 'the shell' }),

  run({ terminal }, given) {
    const shell = given.shell as Shell;
    terminal.value({ shell, script: SCRIPTS[shell] });
    terminal.show(SCRIPTS[shell].trimEnd());
    if (process.stdout.isTTY) terminal.say(`\n${HOW[shell]}`);
    return Promise.resolve(EXIT.done);
  },
};
