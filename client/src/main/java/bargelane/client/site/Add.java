package bargelane.client.site;

import static bargelane.client.Output.*;

import bargelane.api.SiteView;
import bargelane.client.Common;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Add a site. Its token is read from a file or from SITE_TOKEN. */
@Command(
    name = "add",
    description = "Add a site. Its token is read from a file or from SITE_TOKEN.",
    mixinStandardHelpOptions = true,
    footer = {
      "",
      "Example:",
      "  bargelane site add mill-street --address http://127.0.0.1:7070 --token-file token",
      "  bargelane site add annex --kind libvirt --address qemu:///system",
      "  bargelane site add branches --kind servers --credential scouts"
    })
final class Add extends Common implements Callable<Integer> {
  @Parameters(index = "0", paramLabel = "SITE", description = "Name to give it.")
  String name;

  @Option(
      names = "--kind",
      paramLabel = "KIND",
      defaultValue = "standin",
      description =
          "Kind of site: standin, libvirt, ovf, servers, agents or csv (default: standin).")
  String kind;

  @Option(
      names = "--address",
      paramLabel = "ADDRESS",
      defaultValue = "",
      description = "Address of its control interface; of kind ovf, the folder.")
  String address;

  @Option(names = "--token-file", paramLabel = "FILE", description = "File with its token.")
  Path tokenFile;

  @Option(
      names = "--credential",
      paramLabel = "CREDENTIAL",
      description = "A stored credential to try; may be given again, in the order wanted.")
  List<String> credentials = List.of();

  @Override
  public Integer call() {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("name", name);
    body.put("kind", kind);
    body.put("address", address);
    body.put("credentials", credentials);
    if (tokenFile != null || kind.equals("standin") && credentials.isEmpty()) {
      body.put("token", secret("--token-file", tokenFile, "SITE_TOKEN"));
    }
    return SitePrinter.print(this, api().post("/sites", body, SiteView.class));
  }
}
