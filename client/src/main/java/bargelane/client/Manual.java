package bargelane.client;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Locale;
import java.util.concurrent.Callable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Model.ArgSpec;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.Parameters;

/** Manual pages from the descriptions that {@code --help} prints, in the macros of man(7). */
@Command(
    name = "manual",
    description = "Write a manual page for every command into a directory.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane manual /usr/local/share/man/man1",
      "  bargelane manual pages && man pages/bargelane-wave-load.1"
    })
final class Manual implements Callable<Integer> {

  @CommandLine.Spec CommandSpec spec;

  @Parameters(index = "0", paramLabel = "DIRECTORY", description = "Made if it is not there.")
  Path directory;

  @Override
  public Integer call() {
    int written;
    try {
      Files.createDirectories(directory);
      written = write(Cli.commandLine().getCommandSpec());
    } catch (IOException e) {
      throw new UncheckedIOException(
          "the pages can't be written to " + directory + ": " + e.getMessage(), e);
    }
    spec.commandLine().getOut().println(written + " pages written to " + directory + ".");
    return 0;
  }

  private int write(CommandSpec command) throws IOException {
    Files.writeString(directory.resolve(file(command)), page(command));
    int written = 1;
    for (CommandLine sub : command.subcommands().values()) {
      if (!sub.getCommandSpec().usageMessage().hidden()) {
        written += write(sub.getCommandSpec());
      }
    }
    return written;
  }

  private static String title(CommandSpec command) {
    return command.qualifiedName("-");
  }

  private static String file(CommandSpec command) {
    return title(command) + ".1";
  }

  /** One command's page. */
  static String page(CommandSpec command) {
    StringBuilder page = new StringBuilder();
    String about = String.join(" ", command.usageMessage().description());
    page.append(".TH \"").append(title(command).toUpperCase(Locale.ROOT));
    page.append("\" 1 \"\" \"Barge Lane ").append(Cli.VERSION).append("\"\n");
    page.append(".SH NAME\n").append(title(command).replace("-", "\\-")).append(" \\- ");
    page.append(text(about)).append('\n');
    page.append(".SH SYNOPSIS\n.B ").append(text(command.qualifiedName(" ")));
    for (ArgSpec p : command.positionalParameters()) {
      page.append("\n.I ").append(text(p.required() ? p.paramLabel() : "[" + p.paramLabel() + "]"));
    }
    boolean nouns = !command.subcommands().isEmpty();
    page.append(nouns ? "\n.I COMMAND\n" : "\n[options]\n");
    List<OptionSpec> options = command.options().stream().filter(o -> !o.hidden()).toList();
    if (nouns) {
      page.append(".SH COMMANDS\n");
      for (CommandLine sub : command.subcommands().values()) {
        CommandSpec s = sub.getCommandSpec();
        if (!s.usageMessage().hidden()) {
          entry(page, s.qualifiedName(" "), s.usageMessage().description());
        }
      }
    }
    if (!command.positionalParameters().isEmpty()) {
      page.append(".SH ARGUMENTS\n");
      command.positionalParameters().forEach(p -> entry(page, p.paramLabel(), p.description()));
    }
    page.append(".SH OPTIONS\n");
    for (OptionSpec o : options) {
      String value = o.arity().max() > 0 ? " " + o.paramLabel() : "";
      entry(page, String.join(", ", o.names()) + value, o.description());
    }
    String[] footer = command.usageMessage().footer();
    if (footer.length > 0) {
      page.append(".SH EXAMPLES\n.nf\n");
      for (String line : footer) {
        if (!line.isBlank() && !line.equals("Example:")) {
          page.append(text(line.strip())).append('\n');
        }
      }
      page.append(".fi\n");
    }
    page.append(".SH EXIT STATUS\n");
    for (String[] code : Cli.EXIT_CODES) {
      entry(page, code[0], code[1]);
    }
    return page.toString();
  }

  private static void entry(StringBuilder page, String term, String... description) {
    page.append(".TP\n.B ").append(text(term)).append('\n');
    page.append(text(String.join(" ", description))).append('\n');
  }

  /** Text as it is meant: a backslash, a dash and a control at a line's begin stand for itself. */
  private static String text(String plain) {
    String escaped = plain.replace("%%", "%").replace("\\", "\\e").replace("-", "\\-");
    return escaped.startsWith(".") || escaped.startsWith("'") ? "\\&" + escaped : escaped;
  }
}
