package bargelane.client;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.Remedy;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import picocli.CommandLine;

class RemediesTest {

  private static String text(String advice, String action, String... arguments) {
    return Remedies.text(new Remedy(advice, action, List.of(arguments)));
  }

  @Test
  void aRemedyIsItsAdviceAndTheCommandThatDoesIt() {
    assertEquals("wait for the pass that runs", text("wait for the pass that runs", ""));
    assertEquals("bargelane wave test lending", text("", "wave-test", "lending"));
    assertEquals(
        "join it: bargelane lane edit over --network net-a=SUBNET",
        text("join it", "lane-join-network", "over", "net-a"));
    assertEquals(
        "bargelane site add NAME --kind csv", text("", "site-add", "csv"), "a name is one's own");
  }

  @Test
  void whatAShellWouldPartIsQuoted() {
    assertEquals(
        "look: bargelane machine list --filter 'site = '\\''annex'\\'''",
        text("look", "machine-filter", "site = 'annex'"));
    assertEquals("bargelane wave load 'first evening'", text("", "wave-load", "first evening"));
  }

  @Test
  void anActionOfANewerServiceIsToldInItsOwnWords() {
    assertEquals("wave fly lending", text("", "wave-fly", "lending"));
    assertEquals("fly it", text("fly it", "wave-fly", "lending"));
  }

  /** A command that is renamed must not live on in a remedy. */
  @Test
  void everyCommandThatIsToldIsOneThatIsThere() {
    for (Map.Entry<String, String> told : Remedies.COMMANDS.entrySet()) {
      String command = told.getValue();
      if (command.startsWith("./bargelane")) {
        continue; // the launcher's own
      }
      CommandLine at = Cli.commandLine();
      for (String word : command.substring("bargelane ".length()).split(" ")) {
        if (word.startsWith("--")) {
          assertTrue(at.getCommandSpec().findOption(word) != null, command + ": " + word);
        } else if (at.getSubcommands().containsKey(word)) {
          at = at.getSubcommands().get(word);
        }
      }
      assertTrue(at.getSubcommands().isEmpty(), command + " is a whole command");
    }
  }
}
