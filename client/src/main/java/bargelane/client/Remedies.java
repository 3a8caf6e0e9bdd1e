package bargelane.client;

import bargelane.api.Remedy;
import java.util.List;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Remedies as commands to type. */
public final class Remedies {

  /** The command of each action; words in capitals stand for its arguments, in their order. */
  public static final Map<String, String> COMMANDS =
      Map.ofEntries(
          Map.entry("service-start", "./bargelane start"),
          Map.entry("site-add", "bargelane site add NAME --kind KIND"),
          Map.entry("site-list", "bargelane site list"),
          Map.entry("site-check", "bargelane site check SITE"),
          Map.entry("site-scan", "bargelane site scan SITE"),
          Map.entry("site-credentials", "bargelane site credentials SITE CREDENTIAL ..."),
          Map.entry("credential-list", "bargelane credential list"),
          Map.entry("credential-add", "bargelane credential add NAME"),
          Map.entry("credential-edit", "bargelane credential edit CREDENTIAL --secret-file FILE"),
          Map.entry(
              "credential-bind",
              "bargelane credential edit CREDENTIAL --secret-file FILE --for HOST"),
          Map.entry("server-add", "bargelane server add SITE ADDRESS ..."),
          Map.entry("server-trust", "bargelane server trust SITE ADDRESS FINGERPRINT"),
          Map.entry("server-list", "bargelane server list SITE"),
          Map.entry("agent-key", "bargelane agent key SITE"),
          Map.entry("agent-list", "bargelane agent list SITE"),
          Map.entry("agent-approve", "bargelane agent approve SITE AGENT"),
          Map.entry("agent-remove", "bargelane agent remove SITE AGENT"),
          Map.entry("machine-list", "bargelane machine list"),
          Map.entry("machine-filter", "bargelane machine list --filter FILTER"),
          Map.entry("machine-add", "bargelane machine add SITE --csv FILE"),
          Map.entry("label-list", "bargelane label list"),
          Map.entry("book-list", "bargelane book list"),
          Map.entry("book-add", "bargelane book add BOOK --csv FILE"),
          Map.entry("book-show", "bargelane book show BOOK"),
          Map.entry("fitness-list", "bargelane fitness list"),
          Map.entry("assessment-list", "bargelane assessment list"),
          Map.entry("assessment-add", "bargelane assessment add --target SITE MACHINE ..."),
          Map.entry("assessment-edit", "bargelane assessment edit ASSESSMENT"),
          Map.entry("assessment-show", "bargelane assessment show ASSESSMENT"),
          Map.entry("assessment-machines", "bargelane assessment machines ASSESSMENT"),
          Map.entry("assessment-machine", "bargelane assessment machine ASSESSMENT MACHINE"),
          Map.entry("assessment-compare", "bargelane assessment compare ASSESSMENT --from NUMBER"),
          Map.entry("lane-list", "bargelane lane list"),
          Map.entry("lane-join-network", "bargelane lane edit LANE --network NETWORK=SUBNET"),
          Map.entry("lane-join-storage", "bargelane lane edit LANE --storage STORAGE=CLASS"),
          Map.entry("lane-rules", "bargelane lane rules LANE"),
          Map.entry("lane-ingress", "bargelane lane ingress LANE --machine MACHINE"),
          Map.entry("lane-clients", "bargelane lane clients LANE"),
          Map.entry("lane-set", "bargelane lane set LANE --machine MACHINE SETTING=VALUE"),
          Map.entry("lane-copy-disk", "bargelane lane set LANE --disk MACHINE/DISK copy=on"),
          Map.entry("lane-subnet", "bargelane lane set LANE --machine MACHINE subnet=SUBNET"),
          Map.entry("lane-link", "bargelane lane link LANE --measure"),
          Map.entry("lane-spans", "bargelane lane spans LANE"),
          Map.entry(
              "lane-accept-overlap", "bargelane lane set LANE --network NETWORK overlap=accepted"),
          Map.entry("lane-remove", "bargelane lane remove LANE"),
          Map.entry("timetable-list", "bargelane timetable list"),
          Map.entry("wave-list", "bargelane wave list"),
          Map.entry("wave-show", "bargelane wave show WAVE"),
          Map.entry("wave-load", "bargelane wave load WAVE"),
          Map.entry("wave-size", "bargelane wave size WAVE MACHINE SIZE"),
          Map.entry("wave-refit", "bargelane wave refit WAVE"),
          Map.entry("wave-test", "bargelane wave test WAVE"),
          Map.entry("wave-cutover", "bargelane wave cutover WAVE"),
          Map.entry("wave-failback", "bargelane wave failback WAVE"),
          Map.entry("wave-reconcile", "bargelane wave reconcile WAVE"),
          Map.entry("wave-resume", "bargelane wave resume WAVE"),
          Map.entry("wave-declare-lost", "bargelane wave declare-lost WAVE --site SITE"),
          Map.entry("wave-settle", "bargelane wave settle WAVE"),
          Map.entry("point-list", "bargelane point list WAVE"),
          Map.entry("run-list", "bargelane run list"),
          Map.entry("run-show", "bargelane run show RUN"),
          Map.entry("run-console", "bargelane run console RUN"),
          Map.entry("dossier-list", "bargelane dossier list"),
          Map.entry("approval-list", "bargelane approval list"),
          Map.entry("approval-show", "bargelane approval show APPROVAL"),
          Map.entry("approval-ask", "bargelane approval ask WAVE --for VERB"),
          Map.entry("account-list", "bargelane account list"),
          Map.entry("account-edit", "bargelane account edit ACCOUNT"),
          Map.entry("token-list", "bargelane token list"),
          Map.entry("node-list", "bargelane node list"));

  /** {@code NAME} of a thing to come is the reader's to choose, and so no argument. */
  private static final Pattern ARGUMENT = Pattern.compile("\\b(?!NAME\\b)[A-Z]{3,}\\b");

  private Remedies() {}

  /** A remedy in a line: its advice, and the command that does it. */
  public static String text(Remedy remedy) {
    if (remedy.action().isEmpty()) {
      return remedy.advice();
    }
    String template = COMMANDS.get(remedy.action());
    if (template == null) { // of a service that is newer than this client
      return remedy.words();
    }
    String command = filled(template, remedy.arguments());
    return remedy.advice().isEmpty() ? command : remedy.advice() + ": " + command;
  }

  /** Arguments in their places; a word in capitals stays where there is none for it. */
  private static String filled(String template, List<String> arguments) {
    Matcher m = ARGUMENT.matcher(template);
    StringBuilder command = new StringBuilder();
    for (int i = 0; m.find(); i++) {
      m.appendReplacement(
          command,
          Matcher.quoteReplacement(i < arguments.size() ? quoted(arguments.get(i)) : m.group()));
    }
    return m.appendTail(command).toString();
  }

  /** As a shell takes it whole (POSIX shell, section 2.2.2 single quotes). */
  private static String quoted(String argument) {
    return argument.matches("[\\p{L}\\p{N}_.:/@%+=,-]+")
        ? argument
        : "'" + argument.replace("'", "'\\''") + "'";
  }
}
