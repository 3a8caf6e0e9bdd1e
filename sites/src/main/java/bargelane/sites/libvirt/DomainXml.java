package bargelane.sites.libvirt;

import bargelane.sites.SiteException;
import java.io.IOException;
import java.io.StringReader;
import java.io.StringWriter;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import javax.xml.parsers.DocumentBuilderFactory;
import javax.xml.parsers.ParserConfigurationException;
import javax.xml.transform.OutputKeys;
import javax.xml.transform.Transformer;
import javax.xml.transform.TransformerException;
import javax.xml.transform.TransformerFactory;
import javax.xml.transform.dom.DOMSource;
import javax.xml.transform.stream.StreamResult;
import org.w3c.dom.Document;
import org.w3c.dom.Element;
import org.w3c.dom.Node;
import org.w3c.dom.NodeList;
import org.xml.sax.InputSource;
import org.xml.sax.SAXException;

/**
 * A domain's description (libvirt "Domain XML format"): what we read of it and what we change in
 * it. Disks are those of device {@code disk}, in their order; network cards are the description's
 * interfaces and those that came through the emulator's own command line.
 */
final class DomainXml {

  static final String NAMESPACE = "urn:bargelane:machine:1";
  static final String PREFIX = "bargelane";
  private static final String QEMU = "http://libvirt.org/schemas/domain/qemu/1.0";

  /** A disk; {@code target} is the name by which backups know it. */
  record Disk(String target, String bus, String file, String format) {}

  /** A network card; {@code network} is empty where the host only forwards for it. */
  record Card(String model, String mac, String network, Map<String, String> userNet) {}

  private final Document document;

  DomainXml(String xml) {
    this.document = parse(xml);
  }

  /** Reads a document; external entities and document types are refused. */
  static Document parse(String xml) {
    try {
      DocumentBuilderFactory factory = DocumentBuilderFactory.newInstance();
      factory.setFeature("http://apache.org/xml/features/disallow-doctype-decl", true);
      factory.setNamespaceAware(true);
      return factory.newDocumentBuilder().parse(new InputSource(new StringReader(xml)));
    } catch (ParserConfigurationException | SAXException | IOException e) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          "malformed",
          "the host's description can't be read: " + e.getMessage(),
          e);
    }
  }

  static String escape(String text) {
    return text.replace("&", "&amp;")
        .replace("<", "&lt;")
        .replace("'", "&apos;")
        .replace("\"", "&quot;");
  }

  @Override
  public String toString() {
    try {
      Transformer writer = TransformerFactory.newInstance().newTransformer();
      writer.setOutputProperty(OutputKeys.OMIT_XML_DECLARATION, "yes");
      StringWriter text = new StringWriter();
      writer.transform(new DOMSource(document), new StreamResult(text));
      return text.toString();
    } catch (TransformerException e) {
      throw new IllegalStateException(e);
    }
  }

  // ---- walking

  private static List<Element> list(NodeList nodes) {
    List<Element> found = new ArrayList<>();
    for (int i = 0; i < nodes.getLength(); i++) {
      found.add((Element) nodes.item(i));
    }
    return found;
  }

  /** Elements of a name anywhere below a node, in document order. */
  static List<Element> all(Node below, String name) {
    return list(
        below instanceof Document d
            ? d.getElementsByTagName(name)
            : ((Element) below).getElementsByTagName(name));
  }

  static Optional<Element> first(Node below, String name) {
    return all(below, name).stream().findFirst();
  }

  static String text(Node below, String name) {
    return first(below, name).map(e -> e.getTextContent().strip()).orElse("");
  }

  /** An attribute of the first element of a name; empty if there is none. */
  static String attribute(Node below, String element, String attribute) {
    return first(below, element).map(e -> e.getAttribute(attribute)).orElse("");
  }

  private Optional<Element> child(String name) {
    for (Node n = document.getDocumentElement().getFirstChild();
        n != null;
        n = n.getNextSibling()) {
      if (n instanceof Element e && e.getTagName().equals(name)) {
        return Optional.of(e);
      }
    }
    return Optional.empty();
  }

  private String own(String name) {
    return child(name).map(e -> e.getTextContent().strip()).orElse("");
  }

  // ---- what it says

  String uuid() {
    return own("uuid");
  }

  String name() {
    return own("name");
  }

  int cpus() {
    return Integer.parseInt(own("vcpu").isEmpty() ? "1" : own("vcpu"));
  }

  long memoryMib() {
    Element memory = child("memory").orElseThrow();
    long n = Long.parseLong(memory.getTextContent().strip());
    return switch (memory.getAttribute("unit")) {
      case "b", "bytes" -> n >> 20;
      case "M", "MiB" -> n;
      case "G", "GiB" -> n << 10;
      default -> n >> 10;
    };
  }

  /** {@code bios} or {@code uefi}. */
  String firmware() {
    Element os = child("os").orElseThrow();
    return os.getAttribute("firmware").equals("efi")
            || attribute(os, "loader", "type").equals("pflash")
        ? "uefi"
        : "bios";
  }

  /** The operating system as the description's metadata names it; empty if it does not. */
  String os() {
    return list(document.getElementsByTagNameNS("*", "os")).stream()
        .map(e -> e.getAttribute("id"))
        .filter(id -> !id.isEmpty())
        .findFirst()
        .orElse("");
  }

  private Optional<Element> ours() {
    return list(document.getElementsByTagNameNS(NAMESPACE, "machine")).stream().findFirst();
  }

  String owner() {
    return ours().map(e -> e.getAttribute("owner")).orElse("");
  }

  boolean fenced() {
    return ours().map(e -> e.getAttribute("fenced").equals("yes")).orElse(false);
  }

  /**
   * Our mark in a machine's metadata.
   *
   * @param way where its service answers, {@code address:port}; empty where the host forwards a
   *     port to it, or where we did not make the machine
   */
  record Mark(String owner, boolean fenced, String way) {
    @Override
    public String toString() {
      return "<machine owner='"
          + escape(owner)
          + "' fenced='"
          + (fenced ? "yes" : "no")
          + (way.isEmpty() ? "" : "' way='" + escape(way))
          + "'/>";
    }

    /** The mark as part of a description. */
    String element() {
      return toString().replace("<machine", "<b:machine xmlns:b='" + NAMESPACE + "'");
    }
  }

  Mark mark() {
    return new Mark(owner(), fenced(), ours().map(e -> e.getAttribute("way")).orElse(""));
  }

  /** Where a guest's agent is spoken to (QEMU guest agent protocol). */
  static final String AGENT = "org.qemu.guest_agent.0";

  /** Whether a running domain's description shows an agent that has opened its channel. */
  static boolean agent(String live) {
    return all(parse(live), "target").stream()
        .anyMatch(
            t ->
                t.getAttribute("name").equals(AGENT)
                    && t.getAttribute("state").equals("connected"));
  }

  List<Disk> disks() {
    return diskElements().stream()
        .map(
            e ->
                new Disk(
                    attribute(e, "target", "dev"),
                    attribute(e, "target", "bus"),
                    first(e, "source")
                        .map(s -> s.getAttribute("file") + s.getAttribute("dev"))
                        .orElse(""),
                    format(e)))
        .toList();
  }

  /** A disk of which none is declared is raw: the emulator is told so by the daemon. */
  private static String format(Element disk) {
    String declared = attribute(disk, "driver", "type");
    return declared.isEmpty() ? "raw" : declared;
  }

  private List<Element> diskElements() {
    return all(document, "disk").stream()
        .filter(e -> e.getAttribute("device").equals("disk") || e.getAttribute("device").isEmpty())
        .toList();
  }

  List<Card> cards() {
    List<Card> cards = new ArrayList<>();
    for (Element e : all(document, "interface")) {
      cards.add(
          new Card(
              attribute(e, "model", "type"),
              attribute(e, "mac", "address"),
              attribute(e, "source", "network"),
              Map.of()));
    }
    Map<String, Map<String, String>> backends = new LinkedHashMap<>();
    List<String> line = arguments();
    for (int i = 0; i + 1 < line.size(); i++) {
      Map<String, String> options = options(line.get(i + 1));
      if (line.get(i).equals("-netdev")) {
        backends.put(options.getOrDefault("id", ""), options);
      }
    }
    for (int i = 0; i + 1 < line.size(); i++) {
      Map<String, String> options = options(line.get(i + 1));
      if (line.get(i).equals("-device") && options.containsKey("netdev")) {
        cards.add(
            new Card(
                options.get(""),
                options.getOrDefault("mac", ""),
                "",
                backends.getOrDefault(options.get("netdev"), Map.of())));
      }
    }
    return cards;
  }

  /**
   * The file that the first serial line is written to; empty if it goes elsewhere, or to a file
   * that keeps what was written before the last start.
   */
  String consoleFile() {
    return all(document, "serial").stream()
        .filter(e -> e.getAttribute("type").equals("file"))
        .limit(1)
        .flatMap(e -> first(e, "source").stream())
        .filter(e -> !e.getAttribute("append").equals("on"))
        .map(e -> e.getAttribute("path"))
        .findFirst()
        .orElse("");
  }

  private List<Element> argumentElements() {
    return list(document.getElementsByTagNameNS(QEMU, "arg"));
  }

  private List<String> arguments() {
    return argumentElements().stream().map(e -> e.getAttribute("value")).toList();
  }

  /** Options of the emulator's {@code KIND,key=value,...} form; the kind under the empty key. */
  static Map<String, String> options(String text) {
    Map<String, String> options = new LinkedHashMap<>();
    for (String part : text.split(",")) {
      int equals = part.indexOf('=');
      options.put(equals < 0 ? "" : part.substring(0, equals), part.substring(equals + 1));
    }
    return options;
  }

  /** A forwarded port: {@code tcp:HOST:PORT-ADDRESS:PORT}. */
  record Forward(String host, int port, String address, int guestPort) {
    static Optional<Forward> of(Map<String, String> userNet) {
      java.util.regex.Matcher m =
          java.util.regex.Pattern.compile("tcp:([^:]*):(\\d+)-([^:]*):(\\d+)")
              .matcher(userNet.getOrDefault("hostfwd", ""));
      return m.matches()
          ? Optional.of(
              new Forward(
                  m.group(1),
                  Integer.parseInt(m.group(2)),
                  m.group(3),
                  Integer.parseInt(m.group(4))))
          : Optional.empty();
    }
  }

  Optional<Forward> forward() {
    return cards().stream().flatMap(c -> Forward.of(c.userNet()).stream()).findFirst();
  }

  // ---- changes

  /**
   * An argument that the emulator does not know: it ends before it opens a disk, and its message
   * says why. Whoever starts the machine, by whatever command, gets that.
   */
  private static final String FENCE = "-fenced-by-bargelane";

  /** Whether the machine can't be started by anybody. */
  boolean unstartable() {
    return arguments().contains(FENCE);
  }

  /** Makes the definition one that can't be started, or takes that away and nothing else. */
  void unstartable(boolean wanted) {
    if (wanted == unstartable()) {
      return;
    }
    if (wanted) {
      Element line =
          list(document.getElementsByTagNameNS(QEMU, "commandline")).stream()
              .findFirst()
              .orElseGet(
                  () ->
                      (Element)
                          document
                              .getDocumentElement()
                              .appendChild(document.createElementNS(QEMU, "qemu:commandline")));
      Element argument = document.createElementNS(QEMU, "qemu:arg");
      argument.setAttribute("value", FENCE);
      line.appendChild(argument);
      return;
    }
    argumentElements().stream()
        .filter(e -> e.getAttribute("value").equals(FENCE))
        .forEach(
            e -> {
              Element line = (Element) e.getParentNode();
              line.removeChild(e);
              if (list(line.getElementsByTagNameNS(QEMU, "arg")).isEmpty()) {
                line.getParentNode().removeChild(line);
              }
            });
  }

  /** Gives disks other images, in order; one that keeps its own stays as it is declared. */
  void setDisks(List<String> files, List<String> formats) {
    List<Element> disks = diskElements();
    if (disks.size() != files.size()) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          "disks-differ",
          name() + " has " + disks.size() + " disks, not " + files.size(),
          null);
    }
    List<Disk> former = disks();
    for (int i = 0; i < files.size(); i++) {
      if (former.get(i).file().equals(files.get(i))) {
        continue;
      }
      Element source = first(disks.get(i), "source").orElseThrow();
      source.removeAttribute("dev");
      source.setAttribute("file", files.get(i));
      disks.get(i).setAttribute("type", "file");
      first(disks.get(i), "driver").orElseThrow().setAttribute("type", formats.get(i));
    }
  }

  /** Lets the machine's forwarded port come out at another port of the host. */
  void setForwardedPort(int port) {
    for (Element e : argumentElements()) {
      e.setAttribute(
          "value",
          e.getAttribute("value").replaceAll("(hostfwd=tcp:[^:]*):\\d+-", "$1:" + port + "-"));
    }
  }
}
