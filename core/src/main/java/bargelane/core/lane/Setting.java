package bargelane.core.lane;

import static bargelane.core.lane.RuleScope.CARD;
import static bargelane.core.lane.RuleScope.DISK;
import static bargelane.core.lane.RuleScope.LABEL;
import static bargelane.core.lane.RuleScope.LANE;
import static bargelane.core.lane.RuleScope.MACHINE;
import static bargelane.core.lane.RuleScope.NETWORK;
import static bargelane.core.lane.RuleScope.ROLE;
import static bargelane.core.lane.RuleScope.STORAGE;
import static bargelane.core.lane.RuleScope.WAVE;

import bargelane.core.word.Worded;
import java.util.EnumSet;
import java.util.Set;

/** What a rule of a lane decides. */
public enum Setting implements Worded {
  /** The subnet that cards go to. */
  SUBNET("subnet", CARD, MACHINE, WAVE, LABEL, NETWORK),
  /** The address of cards; see {@link AddressRule}. */
  ADDRESS("address", CARD, MACHINE, WAVE, LABEL, NETWORK, LANE),
  /** The storage class that disks go to. */
  CLASS("class", DISK, ROLE, MACHINE, WAVE, LABEL, STORAGE, LANE),
  /** The key at the target that disks are encrypted with, as the target names it. */
  KEY("key", DISK, ROLE, MACHINE, WAVE, LABEL, STORAGE, LANE),
  /** Whether a disk is {@code system}, {@code data} or {@code log}. */
  ROLE_OF_DISK("role", DISK),
  /**
   * {@code on}, {@code off} or {@code carried}: whether a disk is copied, left out and stays at its
   * source, or is carried by a storage system, as {@code carried:VOLUME} under another name.
   */
  COPY("copy", DISK, STORAGE),
  /** How far the instants of carried and copied disks may be from each other, as {@code 15m}. */
  CARRIED_WITHIN("carried-within", MACHINE, WAVE, LABEL, LANE),
  ZONE("zone", MACHINE, WAVE, LABEL, LANE),
  /** The machine's name at the target. */
  NAME("name", MACHINE),
  /** How its system is licensed at the target. */
  LICENCE("licence", MACHINE, WAVE, LABEL, LANE),
  /** The account or project at the target that owns it, as the target names it. */
  PROJECT("project", MACHINE, WAVE, LABEL, LANE),
  /** The identity at the target that it runs under. */
  IDENTITY("identity", MACHINE, WAVE, LABEL, LANE),
  /** Labels that it gets at the target besides its own; see {@link Belonging#labels}. */
  LABELS("labels", MACHINE, WAVE, LABEL, LANE),
  /** How many sockets its processors are arranged in, where the target's sizes don't say. */
  SOCKETS("sockets", MACHINE, WAVE, LABEL, LANE),
  /** {@code on} or {@code off}: whether only a signed system is started. */
  BOOT_PROTECTION("boot-protection", MACHINE, WAVE, LABEL, LANE),
  /** {@code on} or {@code off}: whether it is started when it has landed. */
  POWER("power", MACHINE, WAVE, LABEL, LANE),
  /** What is let in to the machine; see {@link IngressRules}. */
  INGRESS("ingress", MACHINE, LABEL),
  /** A group whose machines are in different zones. */
  APART("apart", MACHINE, LABEL),
  /** A group whose machines are in one zone. */
  TOGETHER("together", MACHINE, LABEL),
  /** {@code accepted}: the network's range may overlap one of the target. */
  OVERLAP("overlap", NETWORK),
  /** {@code extended}: the network and the subnet that it is joined to are one segment. */
  SPAN("span", NETWORK);

  private final String word;
  private final Set<RuleScope> scopes;

  Setting(String word, RuleScope first, RuleScope... more) {
    this.word = word;
    this.scopes = EnumSet.of(first, more);
  }

  @Override
  public String word() {
    return word;
  }

  /** What it can be set for, the most specific first. */
  public Set<RuleScope> scopes() {
    return scopes;
  }
}
