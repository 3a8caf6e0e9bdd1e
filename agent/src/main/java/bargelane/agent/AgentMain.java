package bargelane.agent;

import java.io.IOException;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.concurrent.Callable;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;

/** The agent's program. Exit codes: 0 done, 1 failed, 2 wrong usage, 4 the service refuses it. */
@Command(
    name = "bargelane-agent",
    description =
        "Reports to a Barge Lane service what this machine is, what it uses and which machines it talks to.",
    mixinStandardHelpOptions = true,
    subcommands = {AgentMain.Enrol.class, AgentMain.Run.class})
public final class AgentMain {

  static final int FAILED = 1;
  static final int REFUSED = 4;

  private AgentMain() {}

  public static void main(String[] args) {
    System.exit(commandLine().execute(args));
  }

  static CommandLine commandLine() {
    return new CommandLine(new AgentMain())
        .setExecutionExceptionHandler(
            (e, line, parsed) -> {
              line.getErr().println(e.getMessage());
              return e instanceof ServiceLink.RefusedException ? REFUSED : FAILED;
            });
  }

  /** What both verbs need. */
  abstract static class Verb implements Callable<Integer> {
    @Option(names = "--dir", required = true, description = "Directory of what the agent keeps.")
    Path dir;
  }

  @Command(
      name = "enrol",
      description = "Make this machine known to a service, with a key that is good once.",
      mixinStandardHelpOptions = true)
  static final class Enrol extends Verb {
    @Option(names = "--service", required = true, description = "https://HOST:PORT")
    String service;

    @Option(
        names = "--pin",
        required = true,
        description = "SHA-256 of the public key of the service's certificate, Base64.")
    String pin;

    @Override
    public Integer call() throws IOException {
      // From the environment: others can read a command line.
      String key = System.getenv("BARGELANE_KEY");
      if (key == null || key.isBlank()) {
        throw new IOException(
            "there is no key in BARGELANE_KEY: bargelane agent key SITE makes one");
      }
      Identity fresh = Identity.begin(dir, service, pin);
      String agent = new ServiceLink(fresh).enrol(key.strip(), Surveyor.hostname());
      fresh.enrolled(dir, agent);
      System.out.println("This machine is agent " + agent + " of " + service + ".");
      return 0;
    }
  }

  @Command(
      name = "run",
      description = "Tell the service what is here, until ended.",
      mixinStandardHelpOptions = true)
  static final class Run extends Verb {
    @Option(
        names = "--every",
        defaultValue = "60",
        description = "Seconds between two looks at what is used (default: ${DEFAULT-VALUE}).")
    int every;

    @Option(
        names = "--links-every",
        defaultValue = "300",
        description = "Seconds between two looks at connections (default: ${DEFAULT-VALUE}).")
    int linksEvery;

    @Option(
        names = "--survey-every",
        defaultValue = "3600",
        description = "Seconds between two surveys of everything (default: ${DEFAULT-VALUE}).")
    int surveyEvery;

    @Override
    public Integer call() throws IOException {
      PrintStream log = new PrintStream(System.out, true, StandardCharsets.UTF_8);
      new Agent(
              dir,
              Duration.ofSeconds(Math.max(1, every)),
              Duration.ofSeconds(Math.max(1, linksEvery)),
              Duration.ofSeconds(Math.max(1, surveyEvery)),
              line -> log.println(Instant.now() + " " + line))
          .run();
      return 0;
    }
  }
}
