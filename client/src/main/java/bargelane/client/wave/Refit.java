package bargelane.client.wave;

import static bargelane.client.Common.escape;

import bargelane.api.RefitEdit;
import bargelane.api.RefitOffer;
import bargelane.api.RefitOfferChoice;
import bargelane.api.RefitView;
import bargelane.api.RunView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Follow;
import bargelane.client.Output;
import java.io.PrintWriter;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** {@code wave refit}: what guests need changed to start at the other side. */
@Command(
    name = "refit",
    description =
        "What the guests need changed to start at the other side; exit 1 if one is not expected to start there.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane wave refit lending --look",
      "  bargelane wave refit lending --add serial-console --machine lending-db",
      "  bargelane wave refit lending --word lending-db --reason 'tried by hand on Monday'"
    })
final class Refit extends Common implements Callable<Integer> {

  @Parameters(index = "0", paramLabel = "WAVE", description = "Name or id.")
  String name;

  @Option(names = "--look", description = "Look into clones of the newest recovery point first.")
  boolean look;

  @Option(
      names = "--word",
      paramLabel = "MACHINE",
      description = "Give your word that a machine may move though its guest can't be refitted.")
  String word;

  @Option(
      names = "--reason",
      paramLabel = "REASON",
      defaultValue = "",
      description = "Why; empty takes the word back.")
  String reason;

  @Option(
      names = "--add",
      paramLabel = "OFFER",
      description =
          "Have refits add what is offered: serial-console or time-sync. The way home takes it back.")
  List<String> add = List.of();

  @Option(
      names = "--leave-out",
      paramLabel = "OFFER",
      description = "Have refits no longer add it.")
  List<String> leaveOut = List.of();

  @Option(
      names = "--machine",
      paramLabel = "MACHINE",
      description = "With --add or --leave-out, the machine; all of the wave without.")
  String machine;

  @Override
  public Integer call() {
    String path = "/waves/" + escape(name) + "/refit";
    add.forEach(offer -> choose(path, offer, true));
    leaveOut.forEach(offer -> choose(path, offer, false));
    if (look) {
      int code = Follow.print(api(), api().post(path, null, RunView.class).value(), err(), err());
      if (code != 0) {
        return code;
      }
    }
    Answer<List<RefitView>> found =
        word == null
            ? api().list(path, RefitView.class)
            : api().putForList(path, Map.of("machine", word, "reason", reason), RefitView.class);
    if (output == Output.Form.json) {
      Output.json(out(), found.json());
    } else {
      found.value().forEach(this::print);
    }
    boolean stays = false;
    for (RefitView m : found.value()) {
      stays |= !m.refused().isEmpty() && m.word().isEmpty();
    }
    return stays ? 1 : 0;
  }

  private void choose(String path, String offer, boolean accepted) {
    api()
        .putForList(
            path + "/offers", new RefitOfferChoice(machine, offer, accepted), RefitView.class);
  }

  private void print(RefitView m) {
    PrintWriter out = out();
    out.println(m.machine() + ": " + m.summary());
    if (m.lookedAt() != null) {
      String os = m.os();
      out.println(
          "  looked into point "
              + m.point()
              + " at "
              + Output.local(m.lookedAt())
              + (m.throughYard() ? ", through a yard" : "")
              + (os.isEmpty() ? "" : ": " + os + ", " + m.firmware()));
    } else {
      out.println("  look into it: bargelane wave refit " + name + " --look");
    }
    for (RefitEdit e : m.edits()) {
      out.println();
      out.println("  disk " + e.disk() + " partition " + e.partition() + ": " + e.path());
      out.println("    " + e.reason());
      e.difference().lines().forEach(l -> out.println("    " + l));
    }
    m.unjudged().forEach(u -> out.println("  not judged: " + u));
    m.refused().forEach(r -> out.println("  in the way: " + r));
    for (RefitOffer o : m.offers()) {
      out.println("  " + (o.accepted() ? "added: " : "offered: ") + o.name() + ": " + o.what());
      if (o.accepted()) {
        out.println("    the next look shows what it changes");
      } else {
        out.println(
            "    add it: bargelane wave refit "
                + name
                + " --add "
                + o.name()
                + " --machine "
                + m.machine());
      }
    }
    if (!m.word().isEmpty()) {
      out.println("  may move all the same, says " + m.word());
    }
  }
}
