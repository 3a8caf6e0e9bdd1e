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
              local IFS=$'\\n' word="${COMP_WORDS[COMP_CWORD]}"
              [ "$word" != "=" ] || word=
              COMPREPLY=($(compgen -W "$("${COMP_WORDS[0]}" complete-words -- "${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)" -- "$word"))
              [[ "${COMPREPLY[0]}" != *= ]] || compopt -o nospace 2>/dev/null
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
      List<String> whole = whole(words);
      List<String> before = whole.isEmpty() ? List.of() : whole.subList(0, whole.size() - 1);
      String now = whole.isEmpty() ? "" : whole.get(whole.size() - 1);
      String last = words.isEmpty() ? "" : words.get(words.size() - 1);
      // What of the word stands before the part that the shell completes.
      String begun = now.substring(0, now.length() - (last.equals("=") ? 0 : last.length()));
      next(Cli.commandLine(), before, now).stream()
          .filter(w -> w.startsWith(begun))
          .map(w -> w.substring(begun.length()))
          .forEach(out()::println);
      return 0;
    }

    /** The words as they were typed: bash takes {@code zone=tide-1} for three. */
    private static List<String> whole(List<String> parts) {
      List<String> whole = new ArrayList<>();
      boolean open = false;
      for (String part : parts) {
        boolean equals = part.equals("=") && !whole.isEmpty();
        if (equals || open) {
          whole.set(whole.size() - 1, whole.get(whole.size() - 1) + part);
        } else {
          whole.add(part);
        }
        open = equals;
      }
      return whole;
    }

    private List<String> next(CommandLine root, List<String> before, String now) {
      CommandLine at = root;
      List<String> given = new ArrayList<>();
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
          given.add(word);
        }
      }
      if (value != null) {
        return names(value, given);
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
      int place = given.size();
      command.positionalParameters().stream()
          .filter(p -> p.index().contains(place))
          .forEach(p -> all.addAll(names(p, given)));
      return all;
    }

    /**
     * What an option or a parameter can be, as the service tells.
     *
     * @param given the parameters before it
     */
    private List<String> names(ArgSpec of, List<String> given) {
      try {
        String label = of.paramLabel();
        if (label.equals("MACHINE/N")) {
          String parts = ((OptionSpec) of).longestName().equals("--card") ? "nics" : "disks";
          return parts(api().get("/machines?size=500").path("items"), parts);
        }
        if (label.startsWith("SETTING")) {
          return settings(
              api().get("/lanes/" + escape(given.get(0)) + "/settings"), label.contains("="));
        }
        String[] where = NAMES.getOrDefault(label, "").split(" ");
        if (where.length < 2) {
          return List.of();
        }
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

    /** Each card or disk of each machine. */
    private static List<String> parts(JsonNode machines, String parts) {
      List<String> all = new ArrayList<>();
      for (JsonNode m : machines) {
        for (int i = 0; i < m.path(parts).size(); i++) {
          all.add(m.path("name").asText() + "/" + i);
        }
      }
      return all;
    }

    /** What can be decided on a lane, with what its target takes now. */
    private static List<String> settings(JsonNode settings, boolean values) {
      List<String> all = new ArrayList<>();
      for (JsonNode s : settings) {
        String setting = s.path("setting").asText();
        if (!values) {
          all.add(setting);
        } else if (s.path("values").isEmpty()) {
          all.add(setting + "=");
        }
        for (int i = 0; values && i < s.path("values").size(); i++) {
          all.add(setting + "=" + s.path("values").get(i).asText());
        }
      }
      return all;
    }
  }
}
