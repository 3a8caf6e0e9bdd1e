package bargelane.client;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.stream.Stream;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.ArgSpec;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.Parameters;

/** Completion for shells: commands and options from this program, names from the service. */
@Command(
    name = "completion",
    description = "Print a script that completes commands, options and names in a shell.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  source <(./bargelane completion bash)",
      "  source <(./bargelane completion zsh)"
    })
final class Completion implements Callable<Integer> {

  /** What the launcher does itself. */
  private static final List<String> LAUNCHER =
      List.of(
          "demo", "tour", "yard", "start", "stop", "status", "backup", "package", "test", "bench");

  /** Where the names of a kind of thing are listed, and which field is the name. */
  private static final Map<String, String> NAMES =
      Map.ofEntries(
          Map.entry("WAVE", "/waves name"),
          Map.entry("SITE", "/sites name"),
          Map.entry("MACHINE", "/machines?size=500 name"),
          Map.entry("LANE", "/lanes name"),
          Map.entry("TIMETABLE", "/timetables name"),
          Map.entry("ASSESSMENT", "/assessments name"),
          Map.entry("CREDENTIAL", "/credentials name"),
          Map.entry("BOOK", "/price-books name"),
          Map.entry("RUN", "/runs id"),
          Map.entry("DOSSIER", "/dossiers id"));

  enum Shell {
    bash,
    zsh
  }

  @CommandLine.Spec CommandSpec spec;

  @Parameters(index = "0", paramLabel = "SHELL", description = "bash or zsh.")
  Shell shell;

  @Override
  public Integer call() {
    if (shell == Shell.zsh) {
      spec.commandLine().getOut().println("autoload -U +X bashcompinit && bashcompinit");
    }
    spec.commandLine()
        .getOut()
        .println(
            """
            _bargelane() {
              local IFS=$'\\n'
              COMPREPLY=($(compgen -W "$("${COMP_WORDS[0]}" complete-words -- "${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)" -- "${COMP_WORDS[COMP_CWORD]}"))
            }
            complete -F _bargelane bargelane ./bargelane""");
    return 0;
  }

  /** What may come next, a line each; asked by the script. Nothing where the service is away. */
  @Command(name = "complete-words", hidden = true, description = "What may come next.")
  static final class Words extends Common implements Callable<Integer> {

    @Parameters(arity = "0..*", paramLabel = "WORD", description = "The words so far.")
    List<String> words = List.of();

    @Override
    public Integer call() {
      List<String> before = words.isEmpty() ? List.of() : words.subList(0, words.size() - 1);
      String now = words.isEmpty() ? "" : words.get(words.size() - 1);
      next(Cli.commandLine(), before, now).forEach(out()::println);
      return 0;
    }

    private List<String> next(CommandLine root, List<String> before, String now) {
      CommandLine at = root;
      int given = 0;
      ArgSpec value = null;
      for (String word : before) {
        if (value != null) {
          value = null;
        } else if (word.startsWith("-")) {
          OptionSpec option = at.getCommandSpec().findOption(word);
          value = option != null && option.arity().max() > 0 ? option : null;
        } else if (at.getSubcommands().containsKey(word)) {
          at = at.getSubcommands().get(word);
        } else {
          given++;
        }
      }
      if (value != null) {
        return names(value.paramLabel());
      }
      CommandSpec command = at.getCommandSpec();
      if (now.startsWith("-")) {
        return command.options().stream()
            .filter(o -> !o.hidden())
            .flatMap(o -> Stream.of(o.names()))
            .filter(n -> n.startsWith("--"))
            .toList();
      }
      List<String> all = new ArrayList<>();
      at.getSubcommands().values().stream()
          .filter(s -> !s.getCommandSpec().usageMessage().hidden())
          .forEach(s -> all.add(s.getCommandName()));
      if (at == root) {
        all.addAll(LAUNCHER);
      }
      int place = given;
      command.positionalParameters().stream()
          .filter(p -> p.index().contains(place))
          .forEach(p -> all.addAll(names(p.paramLabel())));
      return all;
    }

    private List<String> names(String label) {
      String[] where = NAMES.getOrDefault(label, "").split(" ");
      if (where.length < 2) {
        return List.of();
      }
      try {
        JsonNode listed = api().get(where[0]);
        List<String> names = new ArrayList<>();
        (listed.has("items") ? listed.path("items") : listed)
            .forEach(x -> names.add(x.path(where[1]).asText()));
        return names;
      } catch (RuntimeException e) {
        // No service, or one that does not let us in: there is nothing to offer.
        return List.of();
      }
    }
  }
}
