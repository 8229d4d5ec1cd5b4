"""First-match lists: who decides a packet, what every rule decides, what could go. The door is `rule_list.FirstMatch`."""
