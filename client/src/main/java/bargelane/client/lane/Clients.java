package bargelane.client.lane;

import static bargelane.client.Output.*;

import bargelane.api.AddressClient;
import bargelane.api.Page;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;
import bargelane.client.Tabled;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** List who connects to addresses that change on a lane. */
@Command(
    name = "clients",
    description =
        "List who was seen to connect to addresses that change on a lane: what has to be changed where.",
    mixinStandardHelpOptions = true,
    footer = {"", "Example:", "  bargelane lane clients mill-to-marsh"})
final class Clients extends Common implements Callable<Integer>, Tabled {
  @Parameters(index = "0", paramLabel = "LANE", description = "Name or id.")
  String name;

  @Option(names = "--page", paramLabel = "N", defaultValue = "0", description = "Page, from 0.")
  int page;

  @Option(
      names = "--size",
      paramLabel = "N",
      defaultValue = "100",
      description = "Lines a page, up to 500.")
  int size;

  @Override
  public Integer call() {
    Answer<Page<AddressClient>> read =
        api()
            .page(
                "/lanes/" + escape(name) + "/clients?page=" + page + "&size=" + size,
                AddressClient.class);
    rows(
        out(),
        output,
        new Answer<>(read.json().path("items"), read.value().items()),
        "Nobody was seen to connect to an address that changes.",
        text("MACHINE", AddressClient::machine),
        text("ADDRESS", AddressClient::address),
        text("BECOMES", AddressClient::becomes),
        number("PORT", AddressClient::port),
        text("CLIENT", AddressClient::client),
        text("WHOSE", AddressClient::clientMachine),
        text("PROCESS", AddressClient::process),
        number("TIMES", AddressClient::count),
        time("LAST SEEN", AddressClient::lastSeen));
    long shown = (long) page * size + read.value().items().size();
    if (output == Output.Form.table && shown < read.value().total()) {
      out().println(shown + " of " + read.value().total() + "; more: --page " + (page + 1));
    }
    return 0;
  }
}
