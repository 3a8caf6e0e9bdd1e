package bargelane.blocks.ovf;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.math.BigInteger;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import javax.xml.XMLConstants;
import javax.xml.parsers.DocumentBuilder;
import javax.xml.parsers.DocumentBuilderFactory;
import javax.xml.parsers.ParserConfigurationException;
import org.w3c.dom.Element;
import org.w3c.dom.Node;
import org.xml.sax.ErrorHandler;
import org.xml.sax.SAXException;
import org.xml.sax.SAXParseException;

/**
 * What an OVF descriptor tells (DMTF DSP0243, versions 1 and 2): its files and its virtual systems
 * with their processors, memory, disks and network cards. Elements are known by their local names;
 * what is not known is passed over, as section 9 of the specification allows for readers. A
 * document type, and with it every external entity, is refused.
 *
 * @param files by their id
 */
public record OvfDescriptor(Map<String, PackagedFile> files, List<VirtualSystem> systems) {

  /**
   * A file of the package; {@code bytes} is what the descriptor says of its size, -1 for nothing.
   */
  public record PackagedFile(String id, String href, long bytes) {}

  /**
   * A disk.
   *
   * @param bytes its capacity
   * @param file where its content lies; none for one that begins empty
   * @param bus the controller it hangs on, as {@code scsi}; empty if it is not told
   */
  public record PackagedDisk(
      String id, long bytes, Optional<PackagedFile> file, String format, String bus) {}

  /** A network card; {@code type} is the device's own word. */
  public record PackagedCard(String network, String mac, String type) {}

  /** One machine of a package. {@code os} is its description, or the name of its CIM type. */
  public record VirtualSystem(
      String id,
      String name,
      String os,
      int cpus,
      long memoryMib,
      List<PackagedDisk> disks,
      List<PackagedCard> cards) {}

  /** Largest descriptor that is read, in bytes. */
  public static final int LARGEST = 8 << 20;

  private static final int DEEPEST = 64;
  private static final BigInteger MOST_BYTES = BigInteger.TWO.pow(60);
  private static final long MOST_CPUS = 4096;
  private static final String XML_LIMITS = "http://www.oracle.com/xml/jaxp/properties/";

  // CIM_ResourceAllocationSettingData.ResourceType
  private static final int CPU = 3;
  private static final int MEMORY = 4;
  private static final int IDE = 5;
  private static final int SCSI = 6;
  private static final int CARD = 10;
  private static final int DISK = 17;
  private static final int OTHER_STORAGE = 20;

  /**
   * Reads a descriptor.
   *
   * @throws OvfException if it is none, or holds what is refused
   */
  public static OvfDescriptor parse(byte[] xml) throws OvfException {
    if (xml.length > LARGEST) {
      throw new OvfException("the descriptor has more than " + LARGEST + " bytes");
    }
    Element envelope;
    try {
      envelope = builder().parse(new ByteArrayInputStream(xml)).getDocumentElement();
    } catch (SAXException e) {
      throw new OvfException("the descriptor is refused: " + e.getMessage(), e);
    } catch (IOException | RuntimeException e) {
      throw new OvfException("the descriptor can't be read: " + e.getMessage(), e);
    }
    if (!envelope.getLocalName().equals("Envelope")) {
      throw new OvfException(
          "the descriptor begins with '" + envelope.getLocalName() + "' and not with 'Envelope'");
    }
    return new Reading(envelope).all();
  }

  private static DocumentBuilder builder() throws OvfException {
    DocumentBuilderFactory factory = DocumentBuilderFactory.newDefaultNSInstance();
    try {
      factory.setFeature(XMLConstants.FEATURE_SECURE_PROCESSING, true);
      factory.setFeature("http://apache.org/xml/features/disallow-doctype-decl", true);
      factory.setAttribute(XMLConstants.ACCESS_EXTERNAL_DTD, "");
      factory.setAttribute(XMLConstants.ACCESS_EXTERNAL_SCHEMA, "");
      factory.setAttribute(XML_LIMITS + "maxElementDepth", DEEPEST);
      factory.setXIncludeAware(false);
      factory.setExpandEntityReferences(false);
      DocumentBuilder builder = factory.newDocumentBuilder();
      builder.setErrorHandler(new Strict());
      return builder;
    } catch (ParserConfigurationException e) {
      throw new OvfException("no XML parser that refuses document types is here", e);
    }
  }

  /** Takes every error as one, and prints none. */
  private static final class Strict implements ErrorHandler {
    @Override
    public void warning(SAXParseException e) {
      // nothing that a reader must know
    }

    @Override
    public void error(SAXParseException e) throws SAXException {
      throw e;
    }

    @Override
    public void fatalError(SAXParseException e) throws SAXException {
      throw e;
    }
  }

  /** One envelope on its way into records. */
  private static final class Reading {
    private final Element envelope;
    private final Map<String, PackagedFile> files = new LinkedHashMap<>();
    private final Map<String, PackagedDisk> disks = new HashMap<>();

    Reading(Element envelope) {
      this.envelope = envelope;
    }

    OvfDescriptor all() throws OvfException {
      for (Element references : children(envelope, "References")) {
        for (Element file : children(references, "File")) {
          PackagedFile known =
              new PackagedFile(
                  attribute(file, "id"), attribute(file, "href"), size(attribute(file, "size")));
          name(known.href());
          if (files.putIfAbsent(known.id(), known) != null) {
            throw new OvfException("two files have the id '" + known.id() + "'");
          }
        }
      }
      for (Element section : children(envelope, "DiskSection")) {
        for (Element disk : children(section, "Disk")) {
          disk(disk);
        }
      }
      List<VirtualSystem> systems = new ArrayList<>();
      systems(envelope, systems);
      if (systems.isEmpty()) {
        throw new OvfException("the descriptor has no virtual system");
      }
      return new OvfDescriptor(Map.copyOf(files), List.copyOf(systems));
    }

    private void disk(Element disk) throws OvfException {
      String id = attribute(disk, "diskId");
      String ref = attribute(disk, "fileRef");
      if (!ref.isEmpty() && !files.containsKey(ref)) {
        throw new OvfException("disk '" + id + "' lies in a file '" + ref + "' that is not listed");
      }
      String capacity = attribute(disk, "capacity");
      if (capacity.startsWith("${")) {
        throw new OvfException(
            "the capacity of disk '" + id + "' is left to be chosen: " + capacity);
      }
      PackagedDisk known =
          new PackagedDisk(
              id,
              bytes("disk '" + id + "'", capacity, attribute(disk, "capacityAllocationUnits")),
              Optional.ofNullable(files.get(ref)),
              attribute(disk, "format"),
              "");
      if (disks.putIfAbsent(id, known) != null) {
        throw new OvfException("two disks have the id '" + id + "'");
      }
    }

    private void systems(Element in, List<VirtualSystem> found) throws OvfException {
      for (Element collection : children(in, "VirtualSystemCollection")) {
        systems(collection, found);
      }
      for (Element system : children(in, "VirtualSystem")) {
        VirtualSystem read = system(system);
        if (found.stream().anyMatch(s -> s.id().equals(read.id()))) {
          throw new OvfException("two virtual systems have the id '" + read.id() + "'");
        }
        found.add(read);
      }
    }

    private VirtualSystem system(Element system) throws OvfException {
      String id = attribute(system, "id");
      if (id.isEmpty()) {
        throw new OvfException("a virtual system has no id");
      }
      String name = first(system, "Name").map(Reading::text).filter(n -> !n.isEmpty()).orElse(id);
      String os = "";
      for (Element section : children(system, "OperatingSystemSection")) {
        String told = first(section, "Description").map(Reading::text).orElse("");
        os = told.isEmpty() ? CimSystems.name(number(section, "id", 0, 65_535)) : told;
      }
      List<Element> items = new ArrayList<>();
      for (Element hardware : children(system, "VirtualHardwareSection")) {
        for (String kind : List.of("Item", "StorageItem", "EthernetPortItem")) {
          items.addAll(children(hardware, kind));
        }
        break; // others are alternatives of the first
      }
      return hardware(id, name, os, items);
    }

    private VirtualSystem hardware(String id, String name, String os, List<Element> items)
        throws OvfException {
      Map<String, String> buses = new HashMap<>();
      for (Element item : items) {
        int type = type(item);
        if (type == IDE || type == SCSI || type == OTHER_STORAGE) {
          String sub = value(item, "ResourceSubType").toLowerCase(java.util.Locale.ROOT);
          buses.put(
              value(item, "InstanceID"),
              type == IDE ? "ide" : type == SCSI ? "scsi" : sub.isEmpty() ? "other" : sub);
        }
      }
      long cpus = 0;
      BigInteger memory = BigInteger.ZERO;
      List<PackagedDisk> attached = new ArrayList<>();
      List<PackagedCard> cards = new ArrayList<>();
      for (Element item : items) {
        String of = "virtual system '" + id + "'";
        switch (type(item)) {
          case CPU -> cpus += quantity(of, item).longValue();
          case MEMORY ->
              memory =
                  memory.add(
                      BigInteger.valueOf(
                          bytes(
                              of,
                              value(item, "VirtualQuantity"),
                              value(item, "AllocationUnits").isEmpty()
                                  ? "byte * 2^20"
                                  : value(item, "AllocationUnits"))));
          case DISK -> attach(of, item, buses, attached);
          case CARD ->
              cards.add(
                  new PackagedCard(
                      value(item, "Connection"),
                      value(item, "Address"),
                      value(item, "ResourceSubType")));
          default -> {
            // not of interest here
          }
        }
      }
      if (cpus < 1
          || cpus > MOST_CPUS
          || memory.signum() <= 0
          || memory.compareTo(MOST_BYTES) > 0) {
        throw new OvfException(
            "virtual system '"
                + id
                + "' has "
                + cpus
                + " processors and "
                + memory
                + " bytes of memory");
      }
      return new VirtualSystem(
          id,
          name,
          os,
          (int) cpus,
          memory.shiftRight(20).longValueExact(),
          List.copyOf(attached),
          List.copyOf(cards));
    }

    private void attach(
        String of, Element item, Map<String, String> buses, List<PackagedDisk> attached)
        throws OvfException {
      String resource = value(item, "HostResource");
      String id = resource.replaceFirst("^(ovf:)?/?disk/", "");
      PackagedDisk disk = disks.get(id);
      if (disk == null) {
        throw new OvfException(of + " has a disk '" + resource + "' that is not listed");
      }
      attached.add(
          new PackagedDisk(
              disk.id(),
              disk.bytes(),
              disk.file(),
              disk.format(),
              buses.getOrDefault(value(item, "Parent"), "")));
    }

    private static int type(Element item) throws OvfException {
      String told = value(item, "ResourceType");
      if (told.isEmpty() && item.getLocalName().equals("EthernetPortItem")) {
        return CARD;
      }
      try {
        return Integer.parseInt(told);
      } catch (NumberFormatException e) {
        throw new OvfException("'" + told + "' is not a type of resource", e);
      }
    }

    private static BigInteger quantity(String of, Element item) throws OvfException {
      String told = value(item, "VirtualQuantity");
      if (!told.matches("[0-9]{1,18}")) {
        throw new OvfException("'" + told + "' of " + of + " is not a quantity");
      }
      return new BigInteger(told);
    }

    private static long bytes(String of, String told, String unit) throws OvfException {
      if (!told.matches("[0-9]{1,30}")) {
        throw new OvfException("'" + told + "' of " + of + " is not a size");
      }
      BigInteger bytes = new BigInteger(told).multiply(AllocationUnits.bytes(unit));
      if (bytes.signum() == 0 || bytes.compareTo(MOST_BYTES) > 0) {
        throw new OvfException(of + " has " + bytes + " bytes, which is none or more than 1 EiB");
      }
      return bytes.longValueExact();
    }

    private static long size(String told) throws OvfException {
      if (told.isEmpty()) {
        return -1;
      }
      if (!told.matches("[0-9]{1,18}")) {
        throw new OvfException("'" + told + "' is not a size of a file");
      }
      return Long.parseLong(told);
    }

    private static int number(Element element, String attribute, int least, int most)
        throws OvfException {
      String told = attribute(element, attribute);
      try {
        int value = Integer.parseInt(told);
        if (value >= least && value <= most) {
          return value;
        }
      } catch (NumberFormatException e) {
        // told below
      }
      throw new OvfException(
          "'" + told + "' can't be the " + attribute + " of " + element.getLocalName());
    }

    private static List<Element> children(Element of, String name) {
      List<Element> found = new ArrayList<>();
      for (Node n = of.getFirstChild(); n != null; n = n.getNextSibling()) {
        if (n instanceof Element e && name.equals(e.getLocalName())) {
          found.add(e);
        }
      }
      return found;
    }

    private static Optional<Element> first(Element of, String name) {
      return children(of, name).stream().findFirst();
    }

    private static String text(Element of) {
      StringBuilder text = new StringBuilder();
      for (Node n = of.getFirstChild(); n != null; n = n.getNextSibling()) {
        if (n.getNodeType() == Node.TEXT_NODE || n.getNodeType() == Node.CDATA_SECTION_NODE) {
          text.append(n.getNodeValue());
        }
      }
      return text.toString().strip();
    }

    private static String value(Element item, String name) {
      return first(item, name).map(Reading::text).orElse("");
    }

    /** An attribute by its local name, whatever its prefix. */
    private static String attribute(Element of, String name) {
      for (int i = 0; i < of.getAttributes().getLength(); i++) {
        Node a = of.getAttributes().item(i);
        if (name.equals(a.getLocalName())) {
          return a.getNodeValue().strip();
        }
      }
      return "";
    }
  }

  /**
   * A reference to a file: a plain name beside the descriptor, and nothing that leads elsewhere.
   */
  static String name(String href) throws OvfException {
    if (href.isEmpty()
        || href.length() > 255
        || href.equals(".")
        || href.equals("..")
        || !href.matches("[^/\\\\:\\x00-\\x1f]+")) {
      throw new OvfException("'" + href + "' is not a name of a file beside the descriptor");
    }
    return href;
  }
}
