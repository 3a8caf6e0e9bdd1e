package bargelane.client;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import picocli.CommandLine;

/** The command line without a service. */
class CliTest {

  private record Said(int code, String out, String err) {}

  private static Said say(String... words) {
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    CommandLine line = Cli.commandLine();
    line.setOut(new PrintWriter(out)).setErr(new PrintWriter(err));
    int code = line.execute(words);
    return new Said(code, out.toString(), err.toString());
  }

  private static void each(CommandLine line, String path, List<String> verbs) {
    for (CommandLine sub : line.getSubcommands().values()) {
      String name = (path + " " + sub.getCommandName()).strip();
      if (sub.getSubcommands().isEmpty()) {
        verbs.add(name);
      }
      each(sub, name, verbs);
    }
  }

  @Test
  void everyCommandHasHelpWithAnExampleOfItself() {
    List<String> verbs = new ArrayList<>();
    each(Cli.commandLine(), "", verbs);
    assertTrue(verbs.size() > 80, "all of them: " + verbs.size());
    verbs.remove("complete-words");
    for (String verb : verbs) {
      String help = say((verb + " --help").split(" ")).out();
      assertTrue(help.contains("Example:"), verb);
      assertTrue(help.contains("bargelane " + verb), verb + " shows an example of another command");
      assertFalse(help.contains("null"), verb);
      assertFalse(help.contains("=<"), verb + " names the values of its options: " + help);
    }
  }

  @Test
  void csvIsForTablesAlone() {
    Said text =
        say("wave", "show", "lending", "--output", "csv", "--service", "https://127.0.0.1:1");
    assertEquals(2, text.code());
    assertTrue(text.err().contains("'bargelane wave show' prints text"), text.err());
    Said table = say("wave", "list", "--output", "csv", "--service", "https://127.0.0.1:1");
    assertTrue(table.err().contains("no token"), "it would ask the service: " + table.err());
  }

  @Test
  void wrongUsageNamesWhatIsWrongAndEndsWithTwo() {
    Said unknown = say("wave", "tset", "lending");
    assertEquals(2, unknown.code());
    assertTrue(unknown.err().contains("tset"), unknown.err());
    Said duration = say("timetable", "add", "x", "--every", "soon", "--rpo", "1m", "--keep", "3");
    assertEquals(2, duration.code());
    assertTrue(
        duration.err().contains("'soon' is not a duration: write 15s, 5m, 1h30m or 7d"),
        duration.err());
  }

  @Test
  void withoutAServiceTheNextStepIsToldAndTheCodeIsThree() {
    Said gone = say("wave", "list", "--home", "/nowhere/at/all");
    assertEquals(3, gone.code());
    assertTrue(gone.err().contains("./bargelane demo"), gone.err());
    assertFalse(gone.err().contains("\tat "), "no stack trace reaches a user");
  }

  @Test
  void assumptionsStandInTheirThreeGroups() {
    String help = say("assessment", "edit", "--help").out();
    int carry = help.indexOf("What it must carry:");
    int runs = help.indexOf("How it runs there:");
    int agreed = help.indexOf("What is agreed:");
    assertTrue(0 < carry && carry < runs && runs < agreed, help);
    assertTrue(help.lastIndexOf("--percentile") > carry && help.lastIndexOf("--percentile") < runs);
    assertTrue(help.lastIndexOf("--running") > runs && help.lastIndexOf("--running") < agreed);
    assertTrue(help.lastIndexOf("--commitment") > agreed);
  }

  private static List<String> next(String... words) {
    List<String> all = new ArrayList<>(List.of("complete-words", "--"));
    all.addAll(List.of(words));
    return say(all.toArray(String[]::new)).out().lines().toList();
  }

  @Test
  void completionOffersNounsVerbsAndOptions() {
    assertTrue(next("").containsAll(List.of("wave", "site", "demo", "test", "completion")));
    assertFalse(next("").contains("complete-words"), "what is for scripts is not offered");
    assertTrue(next("wave", "").containsAll(List.of("show", "pass", "cutover")));
    assertTrue(next("wave", "cutover", "--").containsAll(List.of("--confirm", "--wait")));
    assertEquals(List.of(), next("wave", "show", "", "x"), "names of a service that is not there");
  }

  @Test
  void completionScriptsAreOfTheirShell() {
    assertTrue(say("completion", "bash").out().contains("complete -F _bargelane bargelane"));
    assertTrue(say("completion", "zsh").out().startsWith("autoload -U +X bashcompinit"));
    assertEquals(2, say("completion", "fish").code());
  }

  @Test
  void aBarShowsItsShareAndItsBytes() {
    String half = Bars.bar("lending-db", 512 << 20, 1L << 30);
    assertTrue(half.contains("lending-db") && half.contains(" 50 %"), half);
    assertEquals(15, half.chars().filter(c -> c == '█').count());
    assertTrue(Bars.bar("x", 0, 0).contains("  0 %"));
    assertTrue(Bars.bar("x", 7, 5).contains("100 %"), "never more than all");
  }

  @Test
  void aManualPageIsWrittenForEveryCommandFromItsHelp(@TempDir Path directory) throws IOException {
    Said said = say("manual", directory.toString());
    assertEquals(0, said.code(), said.err());
    List<String> verbs = new ArrayList<>();
    each(Cli.commandLine(), "", verbs);
    verbs.remove("complete-words");
    for (String verb : verbs) {
      Path page = directory.resolve("bargelane-" + verb.replace(' ', '-') + ".1");
      String text = Files.readString(page);
      assertTrue(text.contains(".SH EXAMPLES\n.nf\n"), verb);
      assertFalse(text.contains("null"), verb);
      // No line but a macro begins with a control (man(7), groff(7) "Control characters").
      text.lines()
          .filter(l -> l.startsWith("."))
          .forEach(l -> assertTrue(l.matches("\\.(TH|SH|TP|B|I|nf|fi)( .*)?"), verb + ": " + l));
    }
    String load = Files.readString(directory.resolve("bargelane-wave-load.1"));
    assertTrue(load.contains("bargelane\\-wave\\-load \\- Begin replication."), load);
    assertTrue(load.contains(".B \\-\\-wait\nFollow the run until it is over."), load);
  }

  @Test
  void aManualThatCantBeWrittenNamesTheDirectory(@TempDir Path directory) throws IOException {
    Path taken = Files.writeString(directory.resolve("taken"), "");
    Said said = say("manual", taken.resolve("pages").toString());
    assertEquals(1, said.code());
    assertTrue(said.err().contains("the pages can't be written to " + taken), said.err());
  }
}
