package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;

import bargelane.service.node.ServiceMain;
import bargelane.tug.Settings;
import bargelane.tug.TugMain;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import picocli.CommandLine;
import picocli.CommandLine.Model.OptionSpec;

/** The files of settings in the packages have every option of their programs, and no other. */
class SettingsFilesTest {

  private static final Pattern LINE = Pattern.compile("(?m)^#?([a-z-]+): (.+)$");

  @ParameterizedTest
  @CsvSource({"service", "tug"})
  void everyOptionIsDescribed(String program) throws IOException {
    Class<?> command = program.equals("tug") ? TugMain.class : ServiceMain.class;
    Path file =
        Path.of(System.getProperty("user.dir"))
            .getParent()
            .resolve("packaging/" + program + "/" + program + ".yaml");
    String text = Files.readString(file);
    TreeSet<String> there = new TreeSet<>();
    for (Matcher m = LINE.matcher(text); m.find(); ) {
      there.add(m.group(1));
      OptionSpec option = new CommandLine(command).getCommandSpec().findOption("--" + m.group(1));
      if (option != null && m.group().startsWith("#") && option.defaultValue() != null) {
        String stands = option.defaultValue().isEmpty() ? m.group(2) : option.defaultValue();
        assertEquals(stands, m.group(2), m.group(1) + " stands with its default");
      }
    }
    TreeSet<String> options = new TreeSet<>();
    new CommandLine(command)
        .getCommandSpec().options().stream()
            .filter(o -> !o.usageHelp() && !o.versionHelp())
            .map(o -> o.longestName())
            .filter(n -> !n.equals(Settings.OPTION))
            .forEach(n -> options.add(n.substring(2)));
    assertEquals(options, there);
  }
}
