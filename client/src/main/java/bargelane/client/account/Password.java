package bargelane.client.account;

import bargelane.api.PasswordChange;
import bargelane.client.Common;
import java.io.Console;
import java.nio.file.Path;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;

/** Change the password of the account whose token this uses. */
@Command(
    name = "password",
    description = {
      "Change the password of the account whose token this uses; its other sessions end.",
      "Asks for both on a terminal where no files are given."
    },
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane account password"})
final class Password extends Common implements Callable<Integer> {

  @Option(
      names = "--current-file",
      paramLabel = "FILE",
      description = "File with the present password.")
  Path currentFile;

  @Option(names = "--password-file", paramLabel = "FILE", description = "File with the new one.")
  Path passwordFile;

  @Override
  public Integer call() {
    String current = of("--current-file", currentFile, "Present password: ");
    String password = of("--password-file", passwordFile, "New password: ");
    api().put("/me/password", new PasswordChange(current, password));
    out().println("The password is new; other sessions have ended.");
    return 0;
  }

  private String of(String option, Path file, String question) {
    if (file != null) {
      return textOf(option, file).strip();
    }
    Console console = System.console();
    char[] typed = console == null ? null : console.readPassword(question);
    if (typed == null) {
      throw new ParameterException(spec.commandLine(), "give " + option + " FILE");
    }
    return new String(typed);
  }
}
