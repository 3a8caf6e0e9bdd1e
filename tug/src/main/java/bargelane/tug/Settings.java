package bargelane.tug;

import java.io.IOException;
import java.io.StringReader;
import java.nio.charset.CharacterCodingException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import org.yaml.snakeyaml.LoaderOptions;
import org.yaml.snakeyaml.Yaml;
import org.yaml.snakeyaml.error.Mark;
import org.yaml.snakeyaml.error.MarkedYAMLException;
import org.yaml.snakeyaml.error.YAMLException;
import org.yaml.snakeyaml.nodes.MappingNode;
import org.yaml.snakeyaml.nodes.Node;
import org.yaml.snakeyaml.nodes.NodeTuple;
import org.yaml.snakeyaml.nodes.ScalarNode;
import picocli.CommandLine;
import picocli.CommandLine.IDefaultValueProvider;
import picocli.CommandLine.Model.ArgSpec;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Model.OptionSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;

/**
 * A program's options from a file: one mapping (YAML 1.1) from an option's name, without its
 * dashes, to its value. What stands on the command line counts before the file. What is wrong with
 * the file is told with its line and column.
 */
public final class Settings implements IDefaultValueProvider {

  /** The option that names the file. */
  public static final String OPTION = "--config";

  /** The option, for a program to have; the file is read before the program's options are. */
  public static final class Named {
    @Option(
        names = OPTION,
        paramLabel = "FILE",
        description = "A file of these options, as NAME: VALUE; those given here count before it.")
    Path config;
  }

  private static final long LONGEST = 1 << 20;

  private record Setting(String value, String where) {}

  private final Map<String, Setting> known = new HashMap<>();

  private Settings() {}

  /**
   * The program of a command line whose options may come from the file that {@code --config} names.
   * It ends with 2 where the file can't be used.
   *
   * @param command a command of picocli, without subcommands or with
   * @param names a command whose options are the ones that the file may have
   */
  public static int run(Object command, Class<?> names, String... args) {
    CommandLine line = new CommandLine(command);
    line.setExecutionExceptionHandler(
        (e, failed, parsed) -> {
          if (!(e instanceof IOException)) {
            throw e;
          }
          failed.getErr().println("Error: " + e.getMessage());
          return 1;
        });
    try {
      Settings settings = new Settings();
      for (Path file : files(args)) {
        settings.read(file, new CommandLine(names).getCommandSpec());
      }
      line.setDefaultValueProvider(settings);
    } catch (IllegalArgumentException e) {
      line.getErr().println("Error: " + e.getMessage());
      return 2;
    }
    return line.execute(args);
  }

  private static List<Path> files(String... args) {
    List<Path> named = new ArrayList<>();
    for (int i = 0; i < args.length; i++) {
      if (args[i].startsWith(OPTION + "=")) {
        named.add(Path.of(args[i].substring(OPTION.length() + 1)));
      } else if (args[i].equals(OPTION) && i + 1 < args.length) {
        named.add(Path.of(args[i + 1]));
      }
    }
    return named;
  }

  private void read(Path file, CommandSpec options) {
    Node root;
    try {
      if (Files.size(file) > LONGEST) {
        throw new IllegalArgumentException(file + " is no file of settings: it has over 1 MiB");
      }
      root = new Yaml(new LoaderOptions()).compose(new StringReader(Files.readString(file)));
    } catch (NoSuchFileException e) {
      throw new IllegalArgumentException("there is no file " + file, e);
    } catch (CharacterCodingException e) {
      throw new IllegalArgumentException(file + " is not text in UTF-8", e);
    } catch (IOException e) {
      throw new IllegalArgumentException(file + " can't be read: " + e.getMessage(), e);
    } catch (MarkedYAMLException e) {
      throw new IllegalArgumentException(
          at(file, e.getProblemMark()) + ": " + e.getProblem() + " (the file is YAML)", e);
    } catch (YAMLException e) {
      throw new IllegalArgumentException(file + " is not YAML: " + e.getMessage(), e);
    }
    if (root == null) {
      return;
    }
    if (!(root instanceof MappingNode mapping)) {
      throw new IllegalArgumentException(
          at(file, root.getStartMark()) + ": give settings as NAME: VALUE, one a line");
    }
    for (NodeTuple entry : mapping.getValue()) {
      add(file, entry, options);
    }
  }

  private void add(Path file, NodeTuple entry, CommandSpec options) {
    String where = at(file, entry.getKeyNode().getStartMark());
    String name = entry.getKeyNode() instanceof ScalarNode key ? key.getValue() : "";
    OptionSpec option = options.findOption("--" + name);
    if (option == null || ("--" + name).equals(OPTION) || !named(option)) {
      TreeSet<String> names = new TreeSet<>();
      options.options().stream()
          .filter(o -> !o.longestName().equals(OPTION) && named(o))
          .forEach(o -> names.add(o.longestName().substring(2)));
      throw new IllegalArgumentException(
          where + ": there is no setting '" + name + "'; there are " + String.join(", ", names));
    }
    if (!(entry.getValueNode() instanceof ScalarNode value)) {
      throw new IllegalArgumentException(where + ": give one value for '" + name + "'");
    }
    if (value.getValue().isBlank()) {
      throw new IllegalArgumentException(
          where + ": '" + name + "' has no value; give one, or put # before the line");
    }
    Setting before = known.put(name, new Setting(value.getValue(), at(file, value.getStartMark())));
    if (before != null) {
      throw new IllegalArgumentException(
          where + ": '" + name + "' is there already, at " + before.where());
    }
  }

  /** Help and version are no settings. */
  private static boolean named(OptionSpec option) {
    return !option.usageHelp() && !option.versionHelp();
  }

  private static String at(Path file, Mark mark) {
    return mark == null
        ? file.toString()
        : file + ":" + (mark.getLine() + 1) + ":" + (mark.getColumn() + 1);
  }

  @Override
  public String defaultValue(ArgSpec argument) {
    if (argument instanceof OptionSpec option) {
      Setting setting = known.get(option.longestName().substring(2));
      return setting == null ? null : setting.value();
    }
    return null;
  }

  /**
   * What a wrong value of an option is told with: where it stands, and its name.
   *
   * @param option with its dashes
   */
  public static ParameterException wrong(CommandSpec command, String option, String what) {
    String where = option;
    if (command.defaultValueProvider() instanceof Settings settings
        && !command.commandLine().getParseResult().hasMatchedOption(option)
        && settings.known.containsKey(option.substring(2))) {
      where = settings.known.get(option.substring(2)).where() + ": " + option.substring(2);
    }
    return new ParameterException(command.commandLine(), where + ": " + what);
  }
}
