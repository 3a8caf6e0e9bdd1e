package bargelane.client.server;

import static bargelane.client.Output.*;

import bargelane.api.ServerKeys;
import bargelane.api.ServerView;
import bargelane.api.ServersTrusted;
import bargelane.client.Answer;
import bargelane.client.ApiClient;
import bargelane.client.Output;
import bargelane.client.Tabled;
import bargelane.text.Counts;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;

/** Approve the host keys of servers: none is logged in to before, or with another. */
@Command(
    name = "trust",
    description = {
      "Approve the host key of a server, or of many: nothing is offered to a server before, or to one that shows another.",
      "Hold the fingerprint against what ssh-keygen -l -f /etc/ssh/ssh_host_ed25519_key.pub shows on the server."
    },
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane server trust branches 10.20.9.7 SHA256:x9Lw2oGpY1m8rTqVbN0cEzKfJhUaDsI5nMvQe7kRtWg",
      "  bargelane server trust branches --shown --dry-run",
      "  bargelane server trust branches --known-hosts ~/.ssh/known_hosts"
    })
final class Trust extends OfServers implements Callable<Integer>, Tabled {
  private static final int PAGE = 500;

  @Parameters(
      index = "1",
      arity = "0..1",
      paramLabel = "ADDRESS",
      description = "As the list shows it.")
  String address;

  @Parameters(
      index = "2",
      arity = "0..1",
      paramLabel = "FINGERPRINT",
      description = "As ssh-keygen -l shows it on that server.")
  String fingerprint;

  @Option(
      names = "--shown",
      description =
          "Print the keys that servers without an approved one showed, and approve these.")
  boolean shown;

  @Option(
      names = "--known-hosts",
      paramLabel = "FILE",
      description = "Approve the keys that a file has, as SSH clients keep it.")
  Path knownHosts;

  @Option(names = "--dry-run", description = "With --shown: print them, and approve none.")
  boolean dryRun;

  @Override
  public Integer call() {
    int ways = (address != null ? 1 : 0) + (shown ? 1 : 0) + (knownHosts != null ? 1 : 0);
    if (ways != 1 || address != null && fingerprint == null || dryRun && !shown) {
      throw new ParameterException(
          spec.commandLine(),
          "give an address with its fingerprint, or --shown, or --known-hosts FILE");
    }
    if (address != null) {
      api().put(path(address), Map.of("hostKey", fingerprint));
      out().println(address + " is " + fingerprint + " from now on.");
      return 0;
    }
    if (knownHosts != null) {
      return told(
          api()
              .put(
                  path(),
                  Map.of("knownHosts", textOf("--known-hosts", knownHosts)),
                  ServersTrusted.class));
    }
    List<ServerView> found = toApprove();
    if (dryRun || found.isEmpty() || output == Output.Form.table) {
      rows(
          out(),
          output,
          new Answer<>(ApiClient.JSON.valueToTree(found), found),
          "No server waits for its host key to be approved.",
          text("ADDRESS", ServerView::address),
          text("HOST KEY SHOWN", ServerView::shownKey));
    }
    if (dryRun || found.isEmpty()) {
      return 0;
    }
    return told(
        api()
            .put(
                path(),
                Map.of(
                    "keys",
                    found.stream()
                        .map(v -> new ServerKeys.ServerKey(v.address(), v.shownKey()))
                        .toList()),
                ServersTrusted.class));
  }

  private List<ServerView> toApprove() {
    List<ServerView> found = new ArrayList<>();
    long total = 1;
    for (int page = 0; (long) page * PAGE < total; page++) {
      var told = api().page(path() + "?page=" + page + "&size=" + PAGE, ServerView.class).value();
      total = told.total();
      told.items().stream()
          .filter(v -> v.hostKey().isEmpty() && !v.shownKey().isEmpty())
          .forEach(found::add);
    }
    return found;
  }

  private int told(Answer<ServersTrusted> trusted) {
    if (output == Output.Form.json) {
      Output.json(out(), trusted.json());
    } else if (output == Output.Form.table) {
      int left = trusted.value().unapproved();
      out()
          .println(
              Counts.of(trusted.value().approved(), "host key is", "host keys are")
                  + " approved"
                  + (left == 0
                      ? "."
                      : "; " + Counts.of(left, "server has", "servers have") + " none yet."));
    }
    return 0;
  }
}
