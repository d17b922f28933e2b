//! Tables as Diesel sees them; the SQL is in `migrations/`.

diesel::table! {
    settings (name) {
        name -> Text,
        value -> Text,
    }
}
diesel::table! {
    clock (id) {
        id -> BigInt,
        now_ms -> BigInt,
        running -> Bool,
        speed -> BigInt,
    }
}
diesel::table! {
    orders (id) {
        id -> BigInt,
        client_id -> Text,
        symbol -> Text,
        quantity -> BigInt,
        limit_price -> Nullable<BigInt>,
        closes -> Nullable<BigInt>,
        rolls -> Bool,
        placed_ms -> BigInt,
        time_in_force -> Text,
        good_till -> Nullable<Text>,
        trigger_side -> Nullable<Text>,
        trigger_level -> Nullable<BigInt>,
        trigger_trail -> Nullable<BigInt>,
        after_order -> Nullable<BigInt>,
        cancel_group -> Nullable<BigInt>,
    }
}
diesel::table! {
    order_legs (order_id, position) {
        order_id -> BigInt,
        position -> BigInt,
        instrument -> Text,
        ratio -> BigInt,
        closes -> Bool,
    }
}
diesel::table! {
    order_events (id) {
        id -> BigInt,
        order_id -> BigInt,
        at_ms -> BigInt,
        kind -> Text,
        price -> Nullable<BigInt>,
        packages -> Nullable<BigInt>,
        fees -> Nullable<BigInt>,
        reason -> Nullable<Text>,
        step -> Nullable<BigInt>,
        every_s -> Nullable<BigInt>,
        after_order -> Nullable<BigInt>,
        cancel_group -> Nullable<BigInt>,
    }
}
diesel::table! {
    fill_legs (event_id, position) {
        event_id -> BigInt,
        position -> BigInt,
        instrument -> Text,
        quantity -> BigInt,
        price -> BigInt,
        units -> Nullable<BigInt>,
        margined -> Nullable<Bool>,
    }
}
diesel::table! {
    journal (id) {
        id -> BigInt,
        at_ms -> BigInt,
        kind -> Text,
        memo -> Text,
        order_id -> Nullable<BigInt>,
        fill_event -> Nullable<BigInt>,
        instrument -> Nullable<Text>,
        value -> Nullable<BigInt>,
        quantity -> Nullable<BigInt>,
        only_campaigns -> Nullable<Text>,
        from_campaign -> Nullable<BigInt>,
        to_campaign -> Nullable<BigInt>,
        parts -> Nullable<Text>,
    }
}
diesel::table! {
    postings (entry_id, position) {
        entry_id -> BigInt,
        position -> BigInt,
        book -> Text,
        amount -> BigInt,
    }
}
diesel::table! {
    drafts (slot) {
        slot -> Text,
        body -> Text,
        updated_ms -> BigInt,
    }
}
diesel::table! {
    declined (contract) {
        contract -> Text,
        at_ms -> BigInt,
    }
}
diesel::table! {
    days (day) {
        day -> Text,
        version -> BigInt,
        account_value -> BigInt,
        deposits -> Nullable<BigInt>,
        cash -> Nullable<BigInt>,
        buying_power -> Nullable<BigInt>,
        margin -> Nullable<BigInt>,
        parts -> Nullable<Text>,
        greeks -> Nullable<Text>,
        at_moves -> Nullable<Text>,
        at_risk -> Nullable<Text>,
        largest -> Nullable<Text>,
        missing -> Nullable<Text>,
    }
}
diesel::table! {
    rules (id) {
        id -> BigInt,
        scope -> Text,
        scope_of -> Nullable<Text>,
        measure -> Text,
        side -> Text,
        limit_value -> BigInt,
        again -> Nullable<BigInt>,
        is_on -> Bool,
    }
}
diesel::table! {
    standing (rule, campaign) {
        rule -> BigInt,
        campaign -> BigInt,
        since_ms -> BigInt,
        seen -> Text,
        holds -> Bool,
    }
}
diesel::table! {
    decisions (id) {
        id -> BigInt,
        at_ms -> BigInt,
        campaign -> Nullable<BigInt>,
        reason -> Text,
        says -> Text,
        answer -> Text,
        until_date -> Nullable<Text>,
        until_side -> Nullable<Text>,
        until_level -> Nullable<BigInt>,
        order_id -> Nullable<BigInt>,
        note -> Text,
    }
}
diesel::table! {
    own_dates (id) {
        id -> BigInt,
        date -> Text,
        what -> Text,
        campaign -> Nullable<BigInt>,
    }
}
diesel::table! {
    day_notes (day) {
        day -> Text,
        note -> Text,
    }
}
diesel::table! {
    entry_notes (entry) {
        entry -> BigInt,
        note -> Text,
    }
}
diesel::table! {
    said (kind, id) {
        kind -> Text,
        id -> BigInt,
        words -> Text,
        tags -> Text,
    }
}
diesel::table! {
    bells (id) {
        id -> BigInt,
        set_ms -> BigInt,
        kind -> Text,
        symbol -> Nullable<Text>,
        side -> Nullable<Text>,
        level -> Nullable<BigInt>,
        legs -> Nullable<Text>,
        rung_ms -> Nullable<BigInt>,
        says -> Nullable<Text>,
        answered -> Bool,
        measure -> Nullable<Text>,
        campaign -> Nullable<BigInt>,
        rule -> Nullable<BigInt>,
        again -> Nullable<BigInt>,
        spent -> Bool,
        until -> Nullable<Text>,
        snoozed_ms -> Nullable<BigInt>,
        note -> Text,
    }
}
diesel::table! {
    campaigns (id) {
        id -> BigInt,
        name -> Text,
        note -> Text,
        tags -> Text,
    }
}
